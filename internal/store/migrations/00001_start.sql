-- +goose Up
create table site (
  id bigint generated always as identity primary key,
  name text not null unique,
  home text not null,
  plan jsonb not null default '{}',
  created timestamptz not null default now()
);

create table crawl (
  id bigint generated always as identity primary key,
  site_id bigint not null references site on delete cascade,
  number int not null,
  state text not null, -- running, finished, failed
  ending text not null default '',
  detail text not null default '',
  plan jsonb not null,
  started timestamptz not null default now(),
  finished timestamptz,
  catalogue int not null,
  progress jsonb not null default '{}',
  report jsonb, -- score and ledger; null until judged
  unique (site_id, number)
);

-- Every address that a crawl came to know.
create table address (
  crawl_id bigint not null references crawl on delete cascade,
  id int not null,
  url text not null,
  hash bigint not null, -- of the url, for look-ups: an address can be longer than an index entry
  found_on int not null,
  depth int not null,
  state text not null,
  in_sitemap boolean not null,
  rule_line int not null,
  rule_text text not null,
  primary key (crawl_id, id)
);
create index address_hash on address (crawl_id, hash);

-- The fetched ones. Facts and links are packed; what lists sort and filter by has columns.
create table page (
  crawl_id bigint not null references crawl on delete cascade,
  id int not null,
  status int not null,
  outcome text not null,
  type text not null,
  bytes int not null,
  first_byte int not null,
  html boolean not null,
  indexable boolean not null,
  kind text not null,
  words int not null,
  title text not null,
  description text not null,
  h1 text not null,
  lang text not null,
  facts bytea not null,
  links bytea not null,
  main_text text not null,
  primary key (crawl_id, id)
);
alter table page alter column facts set compression lz4;
alter table page alter column links set compression lz4;
alter table page alter column main_text set compression lz4;
-- Ordinary rows stay whole: moving a few kilobytes out costs more than they take.
alter table page set (toast_tuple_target = 8160);

create table finding (
  crawl_id bigint not null references crawl on delete cascade,
  page_id int not null, -- -1 for the site
  check_id text not null,
  count int not null,
  places jsonb not null
);
create index finding_page on finding (crawl_id, page_id);

-- What only the whole crawl tells about a page.
create table standing (
  crawl_id bigint not null references crawl on delete cascade,
  page_id int not null,
  layout int not null,
  depth int not null,
  links_in int not null,
  authority double precision not null,
  importance double precision not null,
  health double precision not null,
  errors int not null,
  warnings int not null,
  notices int not null,
  linked_from bytea not null, -- numbers of the pages that link here, packed
  primary key (crawl_id, page_id)
);

create table fix (
  crawl_id bigint not null references crawl on delete cascade,
  id text not null,
  rank int not null,
  severity int not null,
  section text not null, -- group of checks
  check_id text not null,
  body jsonb not null,
  primary key (crawl_id, id)
);
create unique index fix_rank on fix (crawl_id, rank);

create table fix_page (
  crawl_id bigint not null references crawl on delete cascade,
  fix_id text not null,
  page_id int not null,
  places int not null,
  primary key (crawl_id, fix_id, page_id)
);

-- Credentials, as SHA-256 of the secret: the secret itself is nowhere here.
create table credential (
  hash bytea primary key,
  kind text not null, -- token, session, link
  label text not null,
  created timestamptz not null default now(),
  expires timestamptz
);

-- +goose Down
drop table credential, fix_page, fix, standing, finding, page, address, crawl, site;
