package main

import (
	"context"
	"fmt"
	"strings"
	"time"

	"nimbusreach/client"
	"nimbusreach/client/wire"
	"nimbusreach/demo"
	"nimbusreach/demo/standin"
	"nimbusreach/internal/service/outbox"
)

const (
	rosterRows = 10_000
	mailsSent  = 2000
)

// people measures rosters, lists of people and the outbox against a service of its own.
func people() error {
	post, err := standin.Start("127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer post.Close()
	mail, err := outbox.Parse(post.Config())
	if err != nil {
		return err
	}
	return served(mail, func(ctx context.Context, c *client.Client, _ string) error {
		return measurePeople(ctx, c, post)
	})
}

// rosterOf is a roster of so many people; with addresses their links go out by mail.
func rosterOf(prefix string, n int, addresses bool) []byte {
	var b strings.Builder
	b.WriteString("name,display,number,group,email\n")
	for i := range n {
		email := ""
		if addresses {
			email = fmt.Sprintf("%s%d@farm.example", prefix, i)
		}
		fmt.Fprintf(&b, "%s%d,Student %d,%s%d,Lab %d,%s\n", prefix, i, i, prefix, i, i%20, email)
	}
	return []byte(b.String())
}

func measurePeople(ctx context.Context, c *client.Client, post *standin.Server) error {
	if _, err := c.SignIn(ctx, demo.Operator, demo.Password, "bench"); err != nil {
		return err
	}
	for _, slug := range []string{"large", "mailed"} {
		if _, err := c.CreateCourse(ctx, wire.NewCourse{Slug: slug, Title: slug}); err != nil {
			return err
		}
	}
	roster := rosterOf("st", rosterRows, false)
	for _, what := range []string{"a roster of 10,000 people imported", "  the same again: nothing changes"} {
		start := time.Now()
		if _, err := c.Import(ctx, "large", roster, client.Import{}); err != nil {
			return err
		}
		row(what, fmt.Sprintf("%.2f s", time.Since(start).Seconds()), "< 10 s")
	}
	for what, query := range map[string]string{"the first page of its 10,000 people": "", "  a search among them": "77"} {
		var times []time.Duration
		for range facultyTurns {
			start := time.Now()
			if _, err := c.People(ctx, query, "", 200); err != nil {
				return err
			}
			times = append(times, time.Since(start))
		}
		row(what, fmt.Sprintf("%.1f ms", ms(median(times))), "< 300 ms")
	}
	start := time.Now()
	if _, err := c.Import(ctx, "mailed", rosterOf("m", mailsSent, true), client.Import{}); err != nil {
		return err
	}
	for len(post.Mails()) < mailsSent && time.Since(start) < 2*time.Minute {
		time.Sleep(10 * time.Millisecond)
	}
	row("2,000 people imported, and their links sent by mail", fmt.Sprintf("%.1f s", time.Since(start).Seconds()),
		"< 60 s")
	return nil
}
