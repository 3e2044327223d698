package wire

import (
	"cmp"
	"slices"
	"time"

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
			return api.Worker{
				Place:    w.Place,
				Crawls:   w.Hands.Crawls,
				Judgings: w.Hands.Judgings,
				Rechecks: w.Hands.Rechecks,
				Watches:  w.Hands.Watches,
				Messages: w.Hands.Messages,
				Runs:     runs[w.Name],
				Opens:    in.Seal == "" || slices.Contains(w.Keys, in.Seal),
				Started:  w.Started,
				Seen:     w.Seen,
			}
		}),
		Crawls: Each(in.Crawls, func(q *record.Queued) api.QueuedCrawl {
			return api.QueuedCrawl{Site: q.Site, Number: q.Number, Waits: q.Owner == "", Place: q.Place, Since: q.Since,
				Taken: (q.Epoch + 1) / 2, Fetched: q.Now.Fetched, Phase: q.Now.Phase, Error: q.Error}
		}),
		Jobs: Each(in.Jobs, job),
	}
}

// jobs are the words for what is done beside crawls.
var jobs = map[string]string{
	record.ToTidy:    "tidy up after a crawl",
	record.ToWeigh:   "weigh newest crawls by what is decided",
	record.ToJudge:   "judge older crawls by the rules of the newest",
	record.ToPack:    "pack the source that crawls keep",
	record.ToSweep:   "drop what removed crawls left",
	record.ToRecheck: "look again at fixes",
	record.ToBegin:   "begin what schedules say",
	record.ToWatch:   "look at watched addresses",
	record.ToFront:   "look at what sites show besides pages",
	record.ToNews:    "hold a crawl against rules",
	record.ToTell:    "tell what was noticed",
	record.ToSend:    "send a message",
}

func job(j *record.Job) api.Job {
	out := api.Job{ID: j.ID, What: j.What, Label: cmp.Or(jobs[j.What], j.What), Site: j.Site, Crawl: j.Crawl,
		Number: j.Number, State: j.State, Place: j.Place, Since: j.Since, Tries: j.Tries, Error: j.Error}
	if j.State == record.Again || j.State == record.Waits && j.Next.After(time.Now()) {
		out.Next = j.Next
	}
	return out
}
