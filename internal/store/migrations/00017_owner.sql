-- +goose Up
-- Who runs a crawl. Each change of owner has its number, by which what another owner still writes is refused; beat is when
-- the owner was last heard of, live is the progress that it told then. What is stored of a crawl stands in progress.
alter table crawl
  add owner text not null default '',
  add epoch int not null default 0,
  add beat timestamptz,
  add live jsonb;

-- +goose Down
alter table crawl drop live, drop beat, drop epoch, drop owner;
