-- +goose Up
-- What counts against a crawl that was running each time the service ended, and how many addresses it
-- had fetched when it was last taken up.
alter table crawl add cuts int not null default 0, add cut_at int;
-- What a paused crawl waits for, to go on by itself: "disk", or nothing.
alter table crawl add waits text not null default '';

-- +goose Down
alter table crawl drop cuts, drop cut_at, drop waits;
