-- +goose Up
-- A judged crawl in short: what health, causes and comparisons need. As judged where rules is empty,
-- else by the rules of which that is the hash.
create table sheet (
  crawl_id bigint not null references crawl on delete cascade,
  rules text not null,
  body bytea not null,
  primary key (crawl_id, rules)
);
alter table sheet alter column body set compression lz4;

-- The layouts that a site's crawls met, so that they keep their names.
create table layout (
  site_id bigint not null references site on delete cascade,
  name text not null,
  leader bytea not null,
  primary key (site_id, name)
);

-- Work at a fix, by its identity. What has no row is open.
create table task (
  site_id bigint not null references site on delete cascade,
  fix text not null,
  check_id text not null,
  line text not null,
  state text not null,
  assignee text not null default '',
  due date,
  note text not null default '',
  seen int not null, -- number of the last crawl in whose list it stood
  version int not null default 1, -- grows with each change
  changed timestamptz not null default now(),
  primary key (site_id, fix)
);

create table task_event (
  id bigint generated always as identity primary key,
  site_id bigint not null references site on delete cascade,
  fix text not null,
  at timestamptz not null default now(),
  who text not null,
  batch bigint, -- what was done at once, and can be undone at once
  before jsonb, -- the task before; null where there was none
  state text not null, -- after
  says text not null
);
create index task_event_fix on task_event (site_id, fix);
create index task_event_batch on task_event (site_id, batch);
create sequence task_batch;

create table waiver (
  id bigint generated always as identity primary key,
  site_id bigint not null references site on delete cascade,
  scope text not null,
  check_id text not null,
  target text not null,
  reason text not null,
  who text not null,
  created timestamptz not null default now(),
  until date, -- the last day on which it holds
  ended timestamptz,
  ended_by text not null default '',
  findings int not null default 0, -- that it covers in the newest crawl
  pages int not null default 0
);
create index waiver_site on waiver (site_id);

create table recheck (
  id bigint generated always as identity primary key,
  crawl_id bigint not null references crawl on delete cascade,
  number int not null,
  started timestamptz not null default now(),
  body jsonb not null,
  unique (crawl_id, number)
);

-- Figures of the consultant's own.
create table figure_set (
  site_id bigint not null references site on delete cascade,
  name text not null,
  taken date not null,
  kind text not null, -- number, percent, text
  imported timestamptz not null default now(),
  rows int not null,
  primary key (site_id, name, taken)
);
create table figure (
  site_id bigint not null,
  name text not null,
  taken date not null,
  hash bigint not null, -- of the address
  address text not null,
  number double precision,
  words text not null default '',
  foreign key (site_id, name, taken) references figure_set on delete cascade
);
create index figure_hash on figure (site_id, hash);

alter table site add importance text not null default ''; -- the figure that weighs pages
alter table crawl add map jsonb, -- sections by group of checks
  add tally jsonb; -- counts of a finished crawl, once they were asked for
alter table crawl add weighed text not null default ''; -- what waivers and figure its report was made with
alter table page add canonical text not null default '', add redirect text not null default '', add text_hash bigint not null default 0;
create index page_list on page (crawl_id, role, id) include (status, html, words, bytes, first_byte, kind); -- rows are wide, lists are not

-- +goose Down
drop index page_list;
alter table page drop canonical, drop redirect, drop text_hash;
alter table crawl drop weighed, drop map, drop tally;
alter table site drop importance;
drop table figure, figure_set, recheck, waiver, task_event, task, layout, sheet;
drop sequence task_batch;
