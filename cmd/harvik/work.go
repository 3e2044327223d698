package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"time"

	"harvik/internal/cli"
	"harvik/internal/core/checks"
	"harvik/internal/house"
	"harvik/internal/store"
	"harvik/internal/vault"
)

// work takes crawls from a service's queue until Ctrl-C or SIGTERM.
func work(ctx context.Context, o cli.WorkOptions) error {
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt)
	defer stop()
	defer watchOver()()
	log, database := logger(o.Verbose), o.Database
	if database == "" {
		var err error
		if database, err = databaseOf(o.Data); errors.Is(err, os.ErrNotExist) {
			return fmt.Errorf("no database is named, and no service runs in %s: name the service's by HARVIK_DATABASE or --database-file",
				o.Data)
		} else if err != nil {
			return fmt.Errorf("reading where the service's database is: %w", err)
		}
	}
	v, err := vault.Read(cmp.Or(o.KeyFile, filepath.Join(o.Data, vault.KeyFile)))
	if err != nil {
		return err
	}
	s, err := store.OpenWith(ctx, database, o.Connections)
	if err != nil {
		return err
	}
	defer s.Close()
	if seal, err := s.Seal(ctx); err != nil {
		return err
	} else if seal != "" && seal != v.Print() {
		return errors.New("the key is not the one by which the service seals secrets: name the secrets.key of its data folder by --key-file")
	}
	profiles, err := os.MkdirTemp("", "harvik-worker-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(profiles)
	w := house.NewWorker(s, checks.New(), v, browserIn(profiles), log)
	if err := w.Work(ctx, o.Crawls); err != nil {
		return err
	}
	log.Info("worker started", "crawls", o.Crawls)
	<-ctx.Done()
	log.Info("worker ending")
	ending, cancel := context.WithTimeout(context.WithoutCancel(ctx), 60*time.Second)
	defer cancel()
	w.Shutdown(ending)
	return nil
}
