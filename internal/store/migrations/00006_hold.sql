-- +goose Up
-- What counts against a crawl that was running each time the service ended, and how many addresses it
-- had fetched when it was last taken up.
alter table crawl add cuts int not null default 0, add cut_at int;
-- What a paused crawl waits for, to go on by itself: "disk", or nothing.
alter table crawl add waits text not null default '';

-- Ranges that are not public and that the hosts of a site may be in all the same.
create table allowance (
  site_id bigint not null references site on delete cascade,
  range text not null, -- in CIDR notation
  who text not null,
  created timestamptz not null default now(),
  primary key (site_id, range)
);

-- Where the plan would have sent a secret when it was given; null for one of an earlier Harvik, which
-- takes on what its site's plan says when it is next opened.
alter table secret add network text;

-- What a site's secrets were opened for.
create table secret_use (
  id bigint generated always as identity primary key,
  site_id bigint not null references site on delete cascade,
  name text not null,
  at timestamptz not null default now(),
  who text not null,
  what text not null
);
create index secret_use_site on secret_use (site_id, name, id);

alter table credential add id bigint generated always as identity, add used timestamptz;

-- +goose Down
alter table credential drop id, drop used;
drop table secret_use;
alter table secret drop network;
drop table allowance;
alter table crawl drop cuts, drop cut_at, drop waits;
