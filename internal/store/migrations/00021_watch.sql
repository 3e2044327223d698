-- +goose Up
-- Addresses that are looked at every few minutes, and how each stands.
create table watch (
  id bigint generated always as identity primary key,
  site_id bigint not null references site on delete cascade,
  name text not null,
  body jsonb not null,
  due timestamptz, -- null where it is paused
  state jsonb not null default '{}',
  unique (site_id, name)
);
create index watch_due on watch (due);
-- Every look, for some days.
create table watch_look (
  watch_id bigint not null references watch on delete cascade,
  at timestamptz not null,
  status smallint not null,
  down boolean not null,
  planned boolean not null, -- in maintenance
  tries smallint not null,
  resolve_ms int not null,
  connect_ms int not null,
  tls_ms int not null,
  first_ms int not null,
  whole_ms int not null,
  primary key (watch_id, at)
);
create index watch_look_at on watch_look using brin (at);
-- Then by hour, and by day for good: how many looks, and how often each step of time was taken.
create table watch_course (
  watch_id bigint not null references watch on delete cascade,
  grain text not null, -- hour, day
  at timestamptz not null,
  looks int not null,
  down int not null,
  planned int not null,
  times jsonb not null,
  primary key (watch_id, grain, at)
);
create index watch_course_at on watch_course (grain, at);
create table outage (
  id bigint generated always as identity primary key,
  watch_id bigint not null references watch on delete cascade,
  began timestamptz not null,
  ended timestamptz,
  reason text not null,
  planned boolean not null
);
create index outage_watch on outage (watch_id, began);
-- When a site is worked at, and looks count for nothing.
create table maintenance (
  id bigint generated always as identity primary key,
  site_id bigint not null references site on delete cascade,
  began timestamptz not null,
  ends timestamptz not null,
  reason text not null
);
create index maintenance_site on maintenance (site_id, ends);
-- What a site shows besides its pages, looked at daily.
create table front (
  site_id bigint primary key references site on delete cascade,
  due timestamptz, -- null where it is not looked at
  body jsonb
);
-- What was otherwise than before at a watched address, or of what a site shows.
create table change (
  id bigint generated always as identity primary key,
  site_id bigint not null references site on delete cascade,
  watch_id bigint references watch on delete cascade,
  at timestamptz not null,
  what text not null,
  was text not null,
  now text not null
);
create index change_site on change (site_id, at);
insert into front (site_id, due) select id, now() + random() * interval '1 day' from site;

-- +goose Down
drop table change;
drop table front;
drop table maintenance;
drop table outage;
drop table watch_course;
drop table watch_look;
drop table watch;
