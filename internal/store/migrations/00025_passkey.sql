-- +goose Up
-- What people sign in by instead of a password (WebAuthn): the public half.
create table passkey (
  id bigint generated always as identity primary key,
  person_id bigint not null references person on delete cascade,
  name text not null,
  handle bytea not null unique, -- the authenticator's name for it
  body jsonb not null,
  created timestamptz not null default now(),
  used timestamptz
);
create index passkey_person on passkey (person_id);
-- Steps of making one or signing in by one that are under way.
create table ceremony (
  hash bytea primary key,
  person_id bigint references person on delete cascade, -- who makes one; null for who signs in
  body jsonb not null,
  expires timestamptz not null
);

-- +goose Down
drop table ceremony, passkey;
