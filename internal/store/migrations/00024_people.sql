-- +goose Up
-- Who works with the house.
create table person (
  id bigint generated always as identity primary key,
  name text not null, -- by which they sign in, and which stands in histories
  mail text not null default '',
  role text not null, -- owner, consultant, reader, client
  lists boolean not null default true, -- a client sees the fix lists, too
  everywhere boolean not null default false, -- all sites are given to them
  groups text[] not null default '{}', -- and those of these groups
  password text, -- by argon2id, never itself
  created timestamptz not null default now(),
  ended timestamptz -- they are let in no more; their name stays in histories
);
create unique index person_name on person (lower(name)) where ended is null;
create table given (
  person_id bigint not null references person on delete cascade,
  site_id bigint not null references site on delete cascade,
  primary key (person_id, site_id)
);
create index given_site on given (site_id);
insert into person (name, role, everywhere) values ('owner', 'owner', true);

-- Whose a credential is, and to how little of what they may it is bound: a role, sites.
alter table credential add person_id bigint references person on delete cascade, add role text not null default '',
  add sites bigint[], add place text not null default '', add agent text not null default '';
update credential set person_id = (select id from person);
alter table credential alter person_id set not null;
create index credential_person on credential (person_id);

-- Tries to sign in, by print of the name that was given, and by where they came from.
create table attempt (
  name bytea not null,
  place text not null,
  good boolean not null,
  at timestamptz not null default now()
);
create index attempt_name on attempt (name, at);
create index attempt_place on attempt (place, at);

-- Who changed what. It is only ever added to.
create table trail (
  id bigint generated always as identity primary key,
  at timestamptz not null default now(),
  who text not null,
  person_id bigint not null,
  kind text not null, -- of the credential
  place text not null,
  what text not null, -- the operation
  site text not null default '',
  subject text not null default '', -- the thing, by name
  before jsonb,
  after jsonb
);
create index trail_site on trail (site, id);
create index trail_who on trail (who, id);
-- +goose StatementBegin
create function trail_stays() returns trigger language plpgsql as $$
begin
  raise exception 'the trail is only ever added to';
end $$;
-- +goose StatementEnd
create trigger trail_stays before update or delete or truncate on trail for each statement execute function trail_stays();

-- +goose Down
drop table trail, attempt;
drop function trail_stays;
alter table credential drop person_id, drop role, drop sites, drop place, drop agent;
drop table given, person;
