package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"time"

	"harvik/internal/cli"
	"harvik/internal/core/checks"
	"harvik/internal/house"
	"harvik/internal/meter"
	"harvik/internal/record"
	"harvik/internal/store"
	"harvik/internal/vault"
)

// work takes crawls from a service's queue until Ctrl-C or SIGTERM.
func work(ctx context.Context, o cli.WorkOptions) error {
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt)
	defer stop()
	defer watchOver()()
	log, database := logger(o.Verbose, o.JSON), o.Database
	stopTracing, err := meter.Trace(ctx)
	if err != nil {
		return fmt.Errorf("sending traces: %w", err)
	}
	defer flush(stopTracing)
	if database == "" {
		if database, err = databaseOf(o.Data); errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("no database is named, and no service runs in %s: name the service's by HARVIK_DATABASE or --database-file",
				o.Data)
		} else if err != nil {
			return fmt.Errorf("reading where the service's database is: %w", err)
		}
	}
	v, err := workersKeys(o)
	if err != nil {
		return err
	}
	s, err := store.OpenWith(ctx, database, o.Connections)
	if err != nil {
		return err
	}
	defer s.Close()
	if noted, err := s.Seal(ctx); err != nil {
		return err
	} else if noted != "" && !slices.Contains(v.Prints(), noted) {
		log.Warn("crawls that need a secret are left to others: the key by which the service seals them is lacking; " +
			"name the secrets.key of its data folder by --key-file, or give it in " + keyVariable)
	}
	profiles, err := os.MkdirTemp("", "harvik-worker-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(profiles)
	m := meter.New(s)
	end, err := watched(ctx, m, o.Metrics, log)
	if err != nil {
		return err
	}
	defer end()
	w := house.NewWorker(s, checks.New(), v, browserIn(profiles), m, log)
	if err := w.Work(ctx, record.Hands(o.Hands)); err != nil {
		return err
	}
	log.Info("worker started", "crawls", o.Hands.Crawls, "judgings", o.Hands.Judgings, "rechecks", o.Hands.Rechecks,
		"watches", o.Hands.Watches, "messages", o.Hands.Messages)
	<-ctx.Done()
	log.Info("worker ending")
	ending, cancel := context.WithTimeout(context.WithoutCancel(ctx), 60*time.Second)
	defer cancel()
	w.Shutdown(ending)
	return nil
}

// workersKeys are those that a worker is given; none, where it is given none.
func workersKeys(o cli.WorkOptions) (*vault.Vault, error) {
	if o.KeyFile != "" || os.Getenv(keyVariable) != "" {
		return keys(o.KeyFile, "")
	}
	v, err := vault.Read(filepath.Join(o.Data, vault.KeyFile))
	if errors.Is(err, os.ErrNotExist) {
		return vault.None(), nil
	}
	return v, err
}

// turnKey makes a new key the one by which secrets are sealed, once all who work have it; otherwise it says who lacks
// it.
func turnKey(ctx context.Context, data, database, file string) (out cli.Turned, err error) {
	if database == "" {
		if database, err = databaseOf(data); err != nil {
			return out, fmt.Errorf("reading where the service's database is: %w", err)
		}
	}
	out.File = cmp.Or(file, filepath.Join(data, vault.KeyFile))
	v, err := vault.Read(out.File)
	if err != nil {
		return out, err
	}
	s, err := store.Open(ctx, database)
	if err != nil {
		return out, err
	}
	defer s.Close()
	print, err := v.Prepare()
	if err != nil {
		return out, err
	}
	time.Sleep(keysSeen) // those on this machine read the file
	workers, err := s.Workers(ctx)
	if err != nil {
		return out, err
	}
	for _, w := range workers {
		if !slices.Contains(w.Keys, print) {
			out.Lacking = append(out.Lacking, w.Place)
		}
	}
	if len(out.Lacking) > 0 {
		return out, nil
	}
	if out.Secrets, err = s.Reseal(ctx, print, func(purpose string, sealed []byte) ([]byte, error) {
		return v.Anew(sealed, purpose)
	}); err != nil {
		return out, err
	}
	return out, v.Turn()
}

// keysSeen is how long it takes at most until who works says that it has a key which stands in its file.
const keysSeen = 4 * time.Second
