-- +goose Up
alter table crawl add probes jsonb, add traps jsonb not null default '[]';
alter table address add role smallint not null default 0, add found smallint not null default 0;
alter table page add role smallint not null default 0, add seq int not null default 0, add uses bytea not null default '';
alter table finding add whole boolean not null default false; -- of the whole crawl: made anew when it goes on

-- A check of the crawl for each row cost more than the row; what belongs to a crawl is deleted
-- with it by hand.
alter table address drop constraint address_crawl_id_fkey;
alter table page drop constraint page_crawl_id_fkey;
alter table finding drop constraint finding_crawl_id_fkey;
alter table standing drop constraint standing_crawl_id_fkey;
alter table fix drop constraint fix_crawl_id_fkey;
alter table fix_page drop constraint fix_page_crawl_id_fkey;

-- robots.txt files and sitemaps as the crawl got them.
create table crawl_file (
  crawl_id bigint not null references crawl on delete cascade,
  kind text not null, -- robots, sitemap
  address text not null,
  status int not null,
  detail text not null,
  body bytea not null
);
alter table crawl_file alter column body set compression lz4;
create index crawl_file_crawl on
  crawl_file (crawl_id);

-- Secrets of gates, sealed: the key stands in the service's data folder.
create table secret (
  site_id bigint not null references site on delete cascade,
  name text not null,
  host text not null,
  sealed bytea not null,
  changed timestamptz not null default now(),
  primary key (site_id, name)
);

-- +goose Down
alter table address add foreign key (crawl_id) references crawl on delete cascade;
alter table page add foreign key (crawl_id) references crawl on delete cascade;
alter table finding add foreign key (crawl_id) references crawl on delete cascade;
alter table standing add foreign key (crawl_id) references crawl on delete cascade;
alter table fix add foreign key (crawl_id) references crawl on delete cascade;
alter table fix_page add foreign key (crawl_id) references crawl on delete cascade;
drop table secret, crawl_file;
alter table finding drop whole;
alter table page drop role, drop seq, drop uses;
alter table address drop role, drop found;
alter table crawl drop probes, drop traps;
