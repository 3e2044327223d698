-- +goose Up
-- Groups that a site is in, for the list of all sites and for the rights of people.
alter table site add groups text[] not null default '{}';

-- +goose Down
alter table site drop groups;
