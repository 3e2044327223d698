-- +goose Up
-- How much of each kind of work a process does at once, and prints of the keys by which it opens secrets.
alter table worker add judgings int not null default 0, add rechecks int not null default 0,
  add keys text[] not null default '{}';
-- Until when a host has asked a worker to leave it alone.
alter table host_use add asked timestamptz;
-- Which of its tries a recheck is at: what an earlier one still writes is refused.
alter table recheck add try int not null default 0;
-- Which data folder an owner's token is of.
alter table credential add seat text not null default '';
-- Links by which a browser fetches one file, once, soon, from whichever service it reaches.
create table ticket (
  hash bytea primary key,
  address text not null,
  credential bigint not null, -- by which it was made
  expires timestamptz not null
);

-- +goose Down
drop table ticket;
alter table credential drop seat;
alter table recheck drop try;
alter table host_use drop asked;
alter table worker drop judgings, drop rechecks, drop keys;
