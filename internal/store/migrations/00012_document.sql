-- +goose Up
-- What is long of a page stands apart, so that lists, which do without it, read little; it is packed beside a sample of the
-- crawl's own pages, as pages of one site share much. Crawls of an earlier Harvik have both in their pages as it was.
create table dictionary (
  crawl_id bigint not null references crawl on delete cascade,
  number int not null, -- by which packed values name it
  sample bytea not null,
  primary key (crawl_id, number)
);
create table document (
  crawl_id bigint not null,
  id int not null, -- of its page
  facts bytea not null,
  links bytea not null,
  main bytea not null,
  primary key (crawl_id, id)
) partition by list (crawl_id);
alter table document alter facts set storage external, alter links set storage external, alter main set storage external;
alter table page alter facts set default '', alter links set default '', alter main_text set default '';

-- +goose Down
-- +goose StatementBegin
do $$ begin
  if exists (select from document) then
    raise exception 'an earlier Harvik cannot read the crawls of this one: delete them first';
  end if;
end $$;
-- +goose StatementEnd
alter table page alter facts drop default, alter links drop default, alter main_text drop default;
drop table document;
drop table dictionary;
