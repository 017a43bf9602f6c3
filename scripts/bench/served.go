package main

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"os"

	"nimbusreach/client"
	"nimbusreach/demo"
	"nimbusreach/internal/service"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/mariadb"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/store"
)

var silent = slog.New(slog.NewTextHandler(io.Discard, nil))

// served runs a service of its own, without workers and with the demo's operator, while something is measured by a
// client of it and in its database.
func served(mail *outbox.Config, measure func(ctx context.Context, c *client.Client, dsn string) error) error {
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	folder, err := os.MkdirTemp("", "nimbus-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	db, err := mariadb.Start(ctx, folder)
	if err != nil {
		return err
	}
	defer func() { _ = db.Stop() }()
	address, ended := make(chan string, 1), make(chan error, 1)
	go func() {
		ended <- service.Run(ctx, service.Config{DSN: db.DSN, Listen: "127.0.0.1:0", Workers: -1, Mail: mail, Log: silent,
			Listening: func(at string) { address <- at },
			Ready: func(_ *store.Store, gate *access.Gate) {
				_ = gate.FirstOperator(ctx, demo.Operator, demo.Password)
			}})
	}()
	c := client.New("http://"+<-address, "")
	err = c.Ready(ctx)
	if err == nil {
		err = measure(ctx, c, db.DSN)
	}
	stop()
	return errors.Join(err, <-ended)
}
