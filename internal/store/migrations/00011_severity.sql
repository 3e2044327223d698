-- +goose Up
-- How grave a finding is, as it was judged: a plan can change that. Null for findings that an earlier Harvik kept.
alter table finding add severity smallint;

-- +goose Down
alter table finding drop severity;
