-- +goose Up
-- What is long of a page is packed beside a sample of the crawl's own pages, as pages of one site share much. Crawls of an
-- earlier Harvik have no such sample, and their main texts stay in main_text.
create table dictionary (
  crawl_id bigint not null references crawl on delete cascade,
  number int not null, -- by which packed values name it
  sample bytea not null,
  primary key (crawl_id, number)
);
alter table page add main bytea not null default '';
alter table page alter facts set storage external, alter links set storage external, alter main set storage external;

-- +goose Down
-- +goose StatementBegin
do $$ begin
  if exists (select from dictionary) then
    raise exception 'an earlier Harvik cannot read the crawls of this one: delete them first';
  end if;
end $$;
-- +goose StatementEnd
alter table page drop main;
alter table page alter facts set storage extended, alter links set storage extended;
drop table dictionary;
