package wire

import (
	"harvik/internal/api"
	"harvik/internal/record"
)

// Queue is who works, and at what.
func Queue(in *record.Queue) api.Queue {
	runs := map[string]int{}
	for i := range in.Crawls {
		runs[in.Crawls[i].Owner]++
	}
	return api.Queue{
		Workers: Each(in.Workers, func(w *record.Worker) api.Worker {
			return api.Worker{Place: w.Place, Crawls: w.Crawls, Runs: runs[w.Name], Started: w.Started, Seen: w.Seen}
		}),
		Crawls: Each(in.Crawls, func(q *record.Queued) api.QueuedCrawl {
			return api.QueuedCrawl{Site: q.Site, Number: q.Number, Waits: q.Owner == "", Place: q.Place, Since: q.Since,
				Taken: q.Epoch, Fetched: q.Now.Fetched, Phase: q.Now.Phase, Error: q.Error}
		}),
	}
}
