package server_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/store"
)

type dueList struct {
	Due []struct {
		At                 string
		Lines, Unpublished int
		Causes             []struct {
			Kind, Code, Name string
			Opens            bool
			Lines            int
			Turns            []string
		}
	}
}

type turned struct {
	Version, Entry int64
	Summary        string
	Sent           []struct {
		Channel, Name, Problem string
		Publication            *published
	}
}

// What is due next is started, ended or passed over now, saved with an undo, and sent to the channels that show it.
func TestTurns(t *testing.T) {
	a := started(t, store.Administrator)
	out := a.link(object{"sends": "on-the-minute"})
	d, blocked := a.blocked()
	var p published
	a.do("POST", "/api/channels/web/publications", object{"version": d.Version, "leaveOut": blocked}, 201, &p)
	a.do("POST", fmt.Sprintf("/api/publications/%d/send", p.ID), object{}, 202, nil)
	require.Equal(t, "done", a.ends(p.ID).State)
	var due dueList
	a.do("GET", "/api/channels/web/due", nil, 200, &due)
	one := func(turn string) (at, kind, code string) {
		for _, d := range due.Due {
			for _, c := range d.Causes {
				require.Positive(t, c.Lines)
				for _, can := range c.Turns {
					if can == turn {
						return d.At, c.Kind, c.Code
					}
				}
			}
		}
		require.Fail(t, "nothing to "+turn)
		return
	}
	at, kind, code := one("end")
	for _, bad := range []struct {
		body   object
		status int
	}{
		{object{"kind": kind, "code": "<nobody>", "turn": "end", "at": at}, 404},
		{object{"kind": "products", "code": code, "turn": "end", "at": at}, 422},
		{object{"kind": kind, "code": code, "turn": "stop", "at": at}, 422},
		{object{"kind": kind, "code": code, "turn": "end", "at": "tomorrow"}, 422},
		{object{"kind": kind, "code": code, "turn": "end", "at": "2026-11-28T03:17"}, 409},
		{object{"kind": kind, "code": code, "turn": "start", "at": at}, 409},
	} {
		a.do("POST", "/api/turns", bad.body, bad.status, nil)
	}
	var done turned
	a.do("POST", "/api/turns", object{"kind": kind, "code": code, "turn": "end", "at": at}, 200, &done)
	require.Contains(t, done.Summary, "ends now")
	require.Len(t, done.Sent, 1, "one channel is connected")
	require.Empty(t, done.Sent[0].Problem)
	ended := a.ends(done.Sent[0].Publication.ID)
	require.Equal(t, "done", ended.State)
	require.Positive(t, ended.Taken)
	a.do("GET", "/api/channels/web/due", nil, 200, &due)
	for _, d := range due.Due {
		for _, c := range d.Causes {
			require.NotEqual(t, kind+code, c.Kind+c.Code, "it is over")
		}
	}
	a.do("POST", "/api/turns", object{"kind": kind, "code": code, "turn": "end", "at": at}, 409, nil)
	a.do("POST", fmt.Sprintf("/api/log/%d/undo", done.Entry), nil, 200, nil)

	a.do("GET", "/api/channels/web/due", nil, 200, &due)
	at, kind, code = one("skip")
	a.do("POST", "/api/turns", object{"kind": kind, "code": code, "turn": "skip", "at": at}, 200, &done)
	require.NotEmpty(t, done.Sent)
	require.Equal(t, "done", a.ends(done.Sent[0].Publication.ID).State)
	a.do("GET", "/api/channels/web/due", nil, 200, &due)
	for _, d := range due.Due {
		for _, c := range d.Causes {
			require.NotEqual(t, at+kind+code, d.At+c.Kind+c.Code, "it is passed over")
		}
	}
	out.Check(t)
}

// What needs a second person waits for one.
func TestATurnWaitsForApproval(t *testing.T) {
	a := started(t, store.Administrator)
	a.link(object{"approval": "none"})
	d, blocked := a.blocked()
	var p published
	a.do("POST", "/api/channels/web/publications", object{"version": d.Version, "leaveOut": blocked}, 201, &p)
	a.do("POST", fmt.Sprintf("/api/publications/%d/send", p.ID), object{}, 202, nil)
	a.ends(p.ID)
	a.link(object{"approval": "always"})
	var due dueList
	a.do("GET", "/api/channels/web/due", nil, 200, &due)
	for _, d := range due.Due {
		for _, c := range d.Causes {
			for _, can := range c.Turns {
				if can != "end" {
					continue
				}
				var done turned
				a.do("POST", "/api/turns", object{"kind": c.Kind, "code": c.Code, "turn": can, "at": d.At}, 200, &done)
				require.Equal(t, "waiting", done.Sent[0].Publication.State)
				return
			}
		}
	}
	require.Fail(t, "nothing to end")
}

// What waits for its campaign does not start before it, though its own window is the next to open.
func TestARuleDoesNotStartBeforeItsCampaign(t *testing.T) {
	a := started(t, store.Administrator)
	a.link(nil)
	a.do("POST", "/api/edit", object{"changes": []object{
		{"kind": "campaigns", "code": "LATER", "doc": object{"code": "LATER", "window": object{"from": "2026-11-26T12:00"}}},
		{"kind": "rules", "code": "WAITS", "doc": object{"code": "WAITS", "layer": "sale", "rank": 97, "campaign": "LATER",
			"where": object{"sku": []string{"BAT-30"}}, "window": object{"from": "2026-11-26T13:00"}, "effect": object{"setPrice": "13.37"}}},
	}}, 200, nil, "Checks-Seen", "true")
	d, blocked := a.blocked()
	var p published
	a.do("POST", "/api/channels/web/publications", object{"version": d.Version, "leaveOut": blocked}, 201, &p)
	a.do("POST", fmt.Sprintf("/api/publications/%d/send", p.ID), object{}, 202, nil)
	require.Equal(t, "done", a.ends(p.ID).State)
	var due dueList
	a.do("GET", "/api/channels/web/due", nil, 200, &due)
	for _, d := range due.Due {
		for _, c := range d.Causes {
			if c.Code == "WAITS" && c.Opens {
				require.Equal(t, []any{"2026-11-26T13:00", []string{"skip"}}, []any{d.At, c.Turns})
				turn := object{"kind": "rules", "code": "WAITS", "turn": "start", "at": d.At}
				a.do("POST", "/api/turns", turn, 409, nil)
				turn["turn"] = "skip"
				var done turned
				a.do("POST", "/api/turns", turn, 200, &done)
				require.Contains(t, done.Summary, "WAITS is turned off")
				return
			}
		}
	}
	require.Fail(t, "the rule is not due")
}
