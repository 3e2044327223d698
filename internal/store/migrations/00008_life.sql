-- +goose Up
-- The number of a site's newest crawl, so that none is given twice when crawls are removed.
alter table site add numbered int not null default 0;
update site set numbered = coalesce((select max(number) from crawl where site_id = site.id), 0);
-- A site has at most one crawl that runs, whoever starts it.
update crawl set state = 'paused', detail = 'another crawl of the site was running'
  where state = 'running' and id not in (select max(id) from crawl where state = 'running' group by site_id);
create unique index crawl_running on only crawl (site_id) where state = 'running';

-- +goose Down
drop index crawl_running;
alter table site drop numbered;
