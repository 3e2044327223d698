-- +goose Up
-- The pages of a fix stand in its row: a row for each costs more than all else that a judgement
-- stores.
alter table fix add pages int[] not null default '{}'; -- numbers of addresses, -1 for the site
alter table fix alter column pages set compression lz4;
update fix f set pages = x.pages from (select crawl_id, fix_id, array_agg(page_id order by page_id) as pages from fix_page group by 1, 2) x
  where x.crawl_id = f.crawl_id and x.fix_id = f.id;
drop table fix_page;

-- Places are read whole: taking them apart on the way in is for nothing.
alter table finding alter column places type json;
alter table finding alter column places set compression lz4;

-- What somebody wants of a running crawl, so that a crash does not forget it.
alter table crawl add wish text not null default ''; -- "stop", "pause"

-- Texts are hashed otherwise from facts of version 4 on; 0 is not compared.
update page set text_hash = 0;

-- +goose Down
alter table crawl drop wish;
create table fix_page (
  crawl_id bigint not null,
  fix_id text not null,
  page_id int not null,
  places int not null,
  primary key (crawl_id, fix_id, page_id)
);
insert into fix_page (crawl_id, fix_id, page_id, places)
  select f.crawl_id, f.id, x.page, coalesce((select n.count from finding n where n.crawl_id = f.crawl_id and n.page_id = x.page and n.check_id = f.check_id), 1)
  from fix f, unnest(f.pages) as x(page);
alter table fix drop pages;
alter table finding alter column places type jsonb;
