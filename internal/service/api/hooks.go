package api

import (
	"crypto/rand"
	"encoding/base64"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"nimbusreach/client/wire"
	"nimbusreach/internal/service/access"
	"nimbusreach/internal/service/outbox"
	"nimbusreach/internal/service/store"
)

// mostHooks bounds the hooks of a course.
const mostHooks = 20

func hookWire(h *store.Hook) wire.Hook {
	return wire.Hook{ID: h.ID, Address: h.Address, Events: strings.Fields(h.Events), Created: h.CreatedAt}
}

func hooks(r *request) error {
	c, _, _, err := r.team(access.Author)
	if err != nil {
		return err
	}
	list, err := r.Store.HooksOf(r.Context(), c.ID)
	if err != nil {
		return err
	}
	out := []wire.Hook{}
	for i := range list {
		out = append(out, hookWire(&list[i]))
	}
	return r.JSON(out)
}

func addHook(r *request) error {
	c, _, _, err := r.team(access.Author)
	if err != nil {
		return err
	}
	var in wire.NewHook
	if err := r.json(&in); err != nil {
		return err
	}
	if why := r.Hooks.Refuses(in.Address); why != "" {
		return &access.Unfit{Field: "address", Message: fmt.Sprintf("%q cannot be told of anything: %s", short(in.Address),
			why), Hint: "give an https address that anybody can reach; the operator can allow others"}
	}
	for _, kind := range in.Events {
		if !slices.Contains(outbox.Events, kind) {
			return &access.Unfit{Field: "events", Message: fmt.Sprintf("there is no event %q", short(kind)),
				Hint: "events are " + strings.Join(outbox.Events, ", ")}
		}
	}
	if len(in.Events) == 0 {
		in.Events = outbox.Events
	}
	list, err := r.Store.HooksOf(r.Context(), c.ID)
	if err != nil {
		return err
	}
	if len(list) >= mostHooks {
		return &access.Unfit{Field: "address", Message: fmt.Sprintf("the course has %d hooks already", len(list)),
			Hint: "withdraw one first"}
	}
	slices.Sort(in.Events)
	h := &store.Hook{CourseID: c.ID, Address: in.Address, Secret: make([]byte, 32),
		Events: strings.Join(slices.Compact(in.Events), " "), MadeBy: &r.who.Person.ID}
	if _, err := rand.Read(h.Secret); err != nil {
		return err
	}
	first, err := outbox.Call(c.Slug, outbox.EventMade, r.Store.Now(), map[string]any{"events": in.Events})
	if err != nil {
		return err
	}
	if err := r.Store.AddHook(r.Context(), h, c.Slug, first); err != nil {
		return err
	}
	r.Hooks.Wake()
	out := hookWire(h)
	out.Secret = outbox.SecretMark + base64.StdEncoding.EncodeToString(h.Secret)
	return r.JSON(out)
}

func (r *request) hookID() (uint64, error) {
	id, err := strconv.ParseUint(r.Params("hook"), 10, 64)
	if err != nil {
		return 0, store.ErrNotFound
	}
	return id, nil
}

func endHook(r *request) error {
	c, _, _, err := r.team(access.Author)
	if err != nil {
		return err
	}
	id, err := r.hookID()
	if err != nil {
		return err
	}
	if err := r.Store.EndHook(r.Context(), r.who.Person.ID, c, id); err != nil {
		return err
	}
	return r.Send(nil)
}

func hookCalls(r *request) error {
	c, _, _, err := r.team(access.Author)
	if err != nil {
		return err
	}
	id, err := r.hookID()
	if err != nil {
		return err
	}
	before, limit, err := r.page(50, 200)
	if err != nil {
		return err
	}
	list, err := r.Store.HookCalls(r.Context(), c.ID, id, before, int(limit)+1)
	if err != nil {
		return err
	}
	out := wire.HookCalls{Calls: []wire.HookCall{}}
	out.Next = paged(list, limit, func(x *store.HookCall) uint64 { return x.ID }, func(x *store.HookCall) {
		line := wire.HookCall{ID: x.ID, Message: x.MessageID, Kind: x.Kind, State: string(x.State), Tries: x.Tries,
			Status: x.Status, Error: x.Error, Created: x.CreatedAt, Sent: x.SentAt}
		if x.State == store.LetterWaiting {
			line.Due = &x.Due
		}
		out.Calls = append(out.Calls, line)
	})
	return r.JSON(out)
}
