-- +goose Up
-- What somebody was told by others at their work: that a note names them, that they were given fixes.
create table mention (
  id bigint generated always as identity primary key,
  at timestamptz not null default now(),
  person_id bigint not null references person on delete cascade, -- who is told
  who text not null, -- who told
  why text not null, -- note, given
  site_id bigint not null references site on delete cascade,
  batch bigint not null, -- of the moves by which it was said
  fix text not null, -- the first of those it is about
  fixes integer not null, -- how many those are
  line text not null, -- of the first
  note text not null default '',
  read timestamptz
);
create index mention_person on mention (person_id, id);
create index mention_batch on mention (site_id, batch);
-- When somebody was last here, who has signed out since.
create index trail_person on trail (person_id, id);

-- +goose Down
drop index trail_person;
drop table mention;
