-- +goose Up
-- What fails on a page stands in one row, and of what the checks on the whole site find there in a further one; of each
-- check the places, packed. What they say, which pages of one layout have in common, stands once, in blocks. Crawls that an
-- earlier Harvik judged have a row for each finding as it was.
create table check_number (number smallserial primary key, id text not null unique);
create table failing (
  crawl_id bigint not null,
  page_id int not null, -- -1 for the site
  whole bool not null, -- found by the checks on the whole site
  checks smallint[] not null, -- check_number
  places bytea not null
) partition by list (crawl_id);
create index on failing (crawl_id, page_id);
create table evidence (
  crawl_id bigint not null,
  block int not null,
  texts bytea not null,
  primary key (crawl_id, block)
) partition by list (crawl_id);
alter table evidence alter texts set storage external;

-- +goose Down
-- +goose StatementBegin
do $$ begin
  if exists (select from failing) then
    raise exception 'an earlier Harvik cannot read the crawls of this one: delete them first';
  end if;
end $$;
-- +goose StatementEnd
drop table evidence;
drop table failing;
drop table check_number;
