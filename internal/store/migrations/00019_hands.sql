-- +goose Up
-- How much of each kind of work a process does at once, and prints of the keys by which it opens secrets.
alter table worker add judgings int not null default 0, add rechecks int not null default 0,
  add keys text[] not null default '{}';
-- Which of its tries a recheck is at: what an earlier one still writes is refused.
alter table recheck add try int not null default 0;
-- Which data folder an owner's token is of.
alter table credential add seat text not null default '';

-- +goose Down
alter table credential drop seat;
alter table recheck drop try;
alter table worker drop judgings, drop rechecks, drop keys;
