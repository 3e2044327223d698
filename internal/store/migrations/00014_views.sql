-- +goose Up
-- Questions with how their answers are shown, under names, for a site or for all.
create table view (
  site_id bigint references site on delete cascade, -- null for all
  name text not null,
  body jsonb not null
);
create unique index on view (coalesce(site_id, 0), name);

-- +goose Down
drop table view;
