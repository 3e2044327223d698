-- +goose Up
-- The pages' source as it came, content coding undone: many pages in one block, since pages of one site have more in
-- common than any sample of them; equal ones once. Rows of document say where in it theirs stands.
create table source (
  crawl_id bigint not null,
  block int not null,
  loose bool not null, -- packed in haste, page by page
  pages bytea not null,
  primary key (crawl_id, block)
) partition by list (crawl_id);
alter table source alter pages set storage external;
alter table document add source bigint; -- block and place in it; null where it is not kept

-- +goose Down
alter table document drop source;
drop table source;
