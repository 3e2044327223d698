-- +goose Up
-- When sites are crawled by themselves: the next time, and what became of the last.
create table schedule (
  id bigint generated always as identity primary key,
  site_id bigint not null references site on delete cascade,
  name text not null,
  body jsonb not null,
  due timestamptz, -- null where it is paused
  last jsonb,
  unique (site_id, name)
);
create index schedule_due on schedule (due);
-- Which schedule began a crawl, and the hours in which alone it runs.
alter table crawl add schedule text not null default '', add hours jsonb;
-- The first finished crawl of each month stays, too.
alter table site add keep_monthly boolean not null default false;
-- How much a process does at once of what comes by the clock, and of messages.
alter table worker add watches int not null default 0, add messages int not null default 0;
-- What is set for all sites.
create table setting (name text primary key, body jsonb not null);

-- +goose Down
drop table setting;
alter table worker drop watches, drop messages;
alter table site drop keep_monthly;
alter table crawl drop schedule, drop hours;
drop table schedule;
