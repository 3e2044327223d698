-- +goose Up
-- What a browser made of pages, by device, packed; and the pictures of their first view, equal ones of a crawl once.
create table rendering (
  crawl_id bigint not null,
  page_id int not null,
  device text not null,
  facts bytea not null,
  screen bytea, -- hash of the picture
  primary key (crawl_id, page_id, device)
) partition by list (crawl_id);
create table screen (
  crawl_id bigint not null,
  hash bytea not null,
  picture bytea not null,
  primary key (crawl_id, hash)
) partition by list (crawl_id);

-- +goose Down
drop table screen;
drop table rendering;
