-- +goose Up
-- Cells of what was fetched that have no column of their own, by key; empty for crawls of an earlier Harvik.
alter table page add more jsonb not null default '{}';

-- +goose Down
alter table page drop more;
