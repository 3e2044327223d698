-- +goose Up
-- What lists of fixes are narrowed and sorted by has columns; the body is the core's.
alter table fix
  add line text not null default '',
  add gain double precision not null default 0,
  add minutes int not null default 10, -- that its effort is about
  add page_count int not null default 0,
  add place_count int not null default 0,
  add waived boolean not null default false;
update fix set line = coalesce(body->>'line', ''), gain = coalesce((body->>'gain')::float8, 0),
  page_count = coalesce((body->>'pages')::int, 0), place_count = coalesce((body->>'places')::int, 0),
  waived = coalesce(body->>'state' = 'waived', false), minutes = case body->>'effort' when 'small' then 10 when 'medium' then 60 else 400 end;

-- The targets and values of lines for several, so that each is found by its own ID.
create table fix_entry (
  crawl_id bigint not null,
  id text not null,
  fix_id text not null,
  nth int not null, -- in its line
  line text not null,
  primary key (crawl_id, fix_id, id)
);
create index fix_entry_id on fix_entry (crawl_id, id);
insert into fix_entry (crawl_id, id, fix_id, nth, line)
  select f.crawl_id, e.one->>'id', f.id, e.nth, coalesce(e.one->>'line', '') from fix f
  cross join jsonb_array_elements(coalesce(f.body->'entries', '[]')) with ordinality as e(one, nth)
  on conflict do nothing;

alter table crawl add health double precision; -- null until judged
update crawl set health = (report->>'health')::float8 where report is not null;
alter table recheck add state text not null default 'done';
update recheck set state = body->>'state' where body ? 'state';

-- How many crawls a site keeps, 0 for all; those that are marked are kept beside them.
alter table site add keep int not null default 0;
alter table crawl add marked boolean not null default false;

-- Each crawl has parts of its own of the large tables: it goes by dropping them, and costs the others nothing.
-- Those that there are share one part.
-- +goose StatementBegin
do $$
declare
  name text;
  crawls text := (select string_agg(id::text, ', ') from crawl);
  old record;
begin
  foreach name in array array['address', 'page', 'finding', 'standing', 'fix', 'fix_entry'] loop
    execute format('delete from %I where crawl_id not in (select id from crawl)', name);
    execute format('alter table %I rename to %I', name, name || '_before');
    for old in select i.relname from pg_index x join pg_class i on i.oid = x.indexrelid where x.indrelid = (name || '_before')::regclass loop
      execute format('alter index %I rename to %I', old.relname, 'before_' || old.relname);
    end loop;
    execute format('create table %I (like %I including all) partition by list (crawl_id)', name, name || '_before');
    if crawls is null then
      execute format('drop table %I', name || '_before');
    else
      execute format('alter table %I attach partition %I for values in (%s)', name, name || '_before', crawls);
    end if;
  end loop;
end $$;
-- +goose StatementEnd

-- +goose Down
-- +goose StatementBegin
do $$
declare
  name text;
begin
  foreach name in array array['address', 'page', 'finding', 'standing', 'fix', 'fix_entry'] loop
    execute format('create table %I (like %I including all)', name || '_whole', name);
    execute format('insert into %I select * from %I', name || '_whole', name);
    execute format('drop table %I', name);
    execute format('alter table %I rename to %I', name || '_whole', name);
  end loop;
end $$;
-- +goose StatementEnd
alter table page set (toast_tuple_target = 8160);
alter table crawl drop marked, drop health;
alter table site drop keep;
alter table recheck drop state;
drop table fix_entry;
alter table fix drop line, drop gain, drop minutes, drop page_count, drop place_count, drop waived;
