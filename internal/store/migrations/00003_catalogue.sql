-- +goose Up
alter table crawl_file add outcome text not null default ''; -- why there was no answer
alter table standing add terms text[] not null default '{}', -- strongest terms of the main text
  add words int not null default 0; -- of the main text, without what is the layout's own

-- +goose Down
alter table standing drop terms, drop words;
alter table crawl_file drop outcome;
