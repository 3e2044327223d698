-- +goose Up
-- Who people are at an identity provider (OpenID Connect).
create table identity (
  issuer text not null,
  subject text not null, -- the provider's name for them
  person_id bigint not null references person on delete cascade,
  created timestamptz not null default now(),
  used timestamptz,
  primary key (issuer, subject)
);
create index identity_person on identity (person_id);

-- +goose Down
drop table identity;
