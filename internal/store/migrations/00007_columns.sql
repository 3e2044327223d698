-- +goose Up
-- More of what lists and files show of a page. Null or empty for crawls of an earlier Harvik.
alter table page
  add why text not null default '', -- why search engines may not show it
  add robots text not null default '',
  add hreflang text not null default '',
  add encoding text not null default '',
  add refresh text not null default '',
  add headings int,
  add images int,
  add links_out int;

-- +goose Down
alter table page drop why, drop robots, drop hreflang, drop encoding, drop refresh, drop headings, drop images, drop links_out;
