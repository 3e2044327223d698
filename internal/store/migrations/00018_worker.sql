-- +goose Up
-- Processes that take crawls, when each was last heard of, and the hosts that each asks, with the gentlest of the tempos
-- that its crawls ask for: workers that ask the same host share its tempo.
create table worker (
  name text primary key,
  place text not null default '', -- host and process, for people
  crawls int not null default 0, -- that it runs at once, at most
  started timestamptz not null default now(),
  seen timestamptz not null default now()
);
create table host_use (
  host text not null,
  worker text not null references worker on delete cascade,
  gap_ms int not null,
  parallel int not null,
  primary key (host, worker)
);
create index host_use_worker on host_use (worker);
-- By which key the service seals secrets, as a print of it that tells nothing: a worker with another one is refused.
create table seal (
  one boolean primary key default true check (one),
  print text not null
);

-- +goose Down
drop table seal;
drop table host_use;
drop table worker;
