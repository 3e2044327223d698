-- +goose Up
-- Rules of a site that are its own, or say otherwise than the usual one of their name.
create table alert_rule (
  id bigint generated always as identity primary key,
  site_id bigint not null references site on delete cascade,
  name text not null,
  body jsonb not null,
  unique (site_id, name)
);
-- By what way somebody is told.
create table way (
  id bigint generated always as identity primary key,
  name text not null unique,
  body jsonb not null,
  sealed bytea, -- its secret
  token bytea unique -- print of the token by which a feed is read
);
create table alert (
  id bigint generated always as identity primary key,
  site_id bigint not null references site on delete cascade,
  rule text not null,
  what text not null,
  subject text not null,
  lasts boolean not null, -- it is over at some time
  began timestamptz not null,
  ended timestamptz,
  body jsonb not null,
  over text not null default '', -- how it is over, in words
  state text not null default 'new', -- new, read, waved
  until timestamptz, -- it is out of sight until then
  assignee text not null default '',
  reason text not null default '', -- why it was waved off, or expected
  changed timestamptz not null default now()
);
create unique index alert_once on alert (site_id, rule, subject) where not lasts or ended is null;
create index alert_began on alert (began);
create index alert_site on alert (site_id, began);
-- A message is decided on together with what it tells of, and sent under a key that stays the same with every try.
create table message (
  id bigint generated always as identity primary key,
  way_id bigint not null references way on delete cascade,
  key text not null unique,
  body jsonb not null,
  created timestamptz not null default now(),
  sent timestamptz,
  tries int not null default 0,
  error text not null default ''
);
create index message_way on message (way_id, created);
-- What is to be told by which way; it waits while it has no message.
create table telling (
  alert_id bigint not null references alert on delete cascade,
  way_id bigint not null references way on delete cascade,
  over boolean not null, -- that it is over
  created timestamptz not null default now(),
  message_id bigint references message on delete set null,
  primary key (alert_id, way_id, over)
);
create index telling_waits on telling (way_id) where message_id is null;
-- What the step in health since an earlier crawl comes from.
alter table crawl add step jsonb;
alter table change add told boolean not null default false;
create index change_untold on change (id) where not told;
update change set told = true;

-- +goose Down
alter table change drop told;
alter table crawl drop step;
drop table telling;
drop table message;
drop table alert;
drop table way;
drop table alert_rule;
