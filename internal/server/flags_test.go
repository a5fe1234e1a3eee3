package server_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/store"
)

// The count in the header is that of the headings: one for each product or rule, in however many channels. A flag has its
// cause, fixes that do what they say, a history, and can be acknowledged for a while.
func TestFlagsAddUp(t *testing.T) {
	a := started(t, store.Manager)
	a.do("POST", "/api/rules", map[string]any{"code": "GIVEN", "layer": "promotion", "rank": 1,
		"where": map[string]any{"sku": "BAT-30"}, "effect": map[string]any{"setPrice": "0.10"}}, http.StatusOK, nil)
	type flag struct {
		Kind, SKU, Channel, Left, Price, Cost string
		Witness                               struct{ At string }
	}
	type entry struct {
		Subject, Kind, Severity, SKU, Cause, Loss string
		Flags                                     []flag
		Acknowledged                              *struct{ Who, Reason string }
	}
	var list struct {
		Searching bool
		Groups    []struct {
			Key, Kind, Cause, Severity, Loss string
			Count                            int
			Entries                          []entry
		}
	}
	settled := func(address string) {
		t.Helper()
		require.Eventually(t, func() bool {
			list.Groups = nil
			a.do("GET", address, nil, http.StatusOK, &list)
			return !list.Searching && len(list.Groups) > 0
		}, time.Minute, 50*time.Millisecond)
	}
	settled("/api/flags")
	var given entry
	for _, g := range list.Groups {
		for _, e := range g.Entries {
			if e.Cause == "GIVEN" && e.Kind == "below-cost" {
				given = e
			}
		}
	}
	require.Greater(t, len(given.Flags), 3, "it loses in each channel, told together")
	require.Equal(t, given.Loss, strings.TrimPrefix(given.Flags[0].Left, "-"), "the worst first")
	var state struct{ Flags struct{ Errors, Others int } }
	a.do("GET", "/api/state", nil, http.StatusOK, &state)
	// What a rule brings about of one kind on many products is one trouble.
	count := func(severity string) int {
		settled("/api/flags?by=cause&severity=" + severity)
		return len(list.Groups)
	}
	require.Equal(t, count("error"), state.Flags.Errors)
	require.Equal(t, count("warning"), state.Flags.Others)
	require.Less(t, state.Flags.Errors+state.Flags.Others, 60)

	// What a rule brings about of one kind is one group.
	settled("/api/flags?by=cause&cause=GIVEN&kind=below-cost")
	require.Len(t, list.Groups, 1)
	require.Equal(t, "GIVEN", list.Groups[0].Cause)
	require.Equal(t, "below-cost", list.Groups[0].Kind)
	require.Greater(t, list.Groups[0].Count, 0)

	// All of it is lived with in one step, and brought back one by one.
	all := list.Groups[0]
	a.do("POST", "/api/flags/acknowledge", object{"all": object{"key": all.Key, "count": all.Count + 1},
		"reason": "A gift & <more>", "until": "2026-12-24"}, http.StatusConflict, nil)
	a.do("POST", "/api/flags/acknowledge", object{"all": object{"key": all.Key, "count": all.Count, "q": "nothing"},
		"reason": "A gift & <more>", "until": "2026-12-24"}, http.StatusNotFound, nil)
	a.do("POST", "/api/flags/acknowledge", object{"all": object{"key": all.Key, "count": all.Count},
		"reason": "A gift & <more>", "until": "2026-12-24"}, http.StatusNoContent, nil)
	settled("/api/flags?by=cause&acknowledged=true")
	require.Len(t, list.Groups, 1)
	require.Equal(t, all.Count, list.Groups[0].Count)
	a.do("POST", "/api/flags/acknowledge", object{"all": object{"key": all.Key, "count": all.Count},
		"reason": "again", "until": "2026-12-24"}, http.StatusNotFound, nil)
	for _, e := range list.Groups[0].Entries {
		a.do("DELETE", "/api/flags/acknowledge?subject="+url.QueryEscape(e.Subject), nil, http.StatusNoContent, nil)
	}

	// Each fix is an edit whose effect on the flags is told beforehand, and is what comes of it.
	var fixes struct {
		Fixes []struct {
			Title        string
			Changes      []json.RawMessage
			Told, Clears bool
			Problem      string
		}
	}
	about := "?subject=" + url.QueryEscape(given.Subject)
	require.Eventually(t, func() bool {
		a.do("GET", "/api/flags/fixes"+about, nil, http.StatusOK, &fixes)
		return fixes.Fixes[0].Told
	}, time.Minute, 50*time.Millisecond)
	clearing, titles := 0, ""
	for _, f := range fixes.Fixes {
		titles += f.Title + "\n"
		require.Empty(t, f.Problem, f.Title)
		if !f.Clears {
			continue
		}
		clearing++
		var saved struct{ Entry int64 }
		a.do("POST", "/api/edit", object{"changes": f.Changes, "summary": f.Title}, http.StatusOK, &saved)
		settled("/api/flags?by=kind")
		for _, g := range list.Groups {
			for _, e := range g.Entries {
				require.NotEqual(t, given.Subject, e.Subject, f.Title)
			}
		}
		a.do("POST", fmt.Sprintf("/api/log/%d/undo", saved.Entry), nil, http.StatusOK, nil)
		settled("/api/flags")
	}
	require.Greater(t, clearing, 1)
	require.Contains(t, titles, "not reduce below the cost")
	var history struct {
		Spells []struct{ RaisedBy, ClearedBy string }
	}
	require.Eventually(t, func() bool {
		a.do("GET", "/api/flags/history"+about, nil, http.StatusOK, &history)
		return len(history.Spells) > clearing && history.Spells[0].ClearedBy == ""
	}, time.Minute, 50*time.Millisecond)
	require.Contains(t, history.Spells[0].RaisedBy, "me: ")

	// Somebody lives with it until a day.
	acknowledge := func(reason, until string, status int) {
		a.do("POST", "/api/flags/acknowledge", object{"subject": given.Subject, "reason": reason, "until": until}, status, nil)
	}
	acknowledge(" ", "2026-12-01", 422)
	acknowledge("A <b>gift</b> & more", "yesterday", 422)
	acknowledge("A <b>gift</b> & more", "2020-01-01", 422)
	acknowledge("A <b>gift</b> & more", "2099-01-01", 422)
	acknowledge("A <b>gift</b> & more", "2026-12-01", 204)
	settled("/api/flags?acknowledged=true")
	require.Equal(t, given.Subject, list.Groups[0].Entries[0].Subject)
	require.Equal(t, "A <b>gift</b> & more", list.Groups[0].Entries[0].Acknowledged.Reason)
	before := state.Flags.Errors
	a.do("GET", "/api/state", nil, http.StatusOK, &state)
	require.Equal(t, before-1, state.Flags.Errors)
	a.do("DELETE", "/api/flags/acknowledge"+about, nil, 204, nil)
	a.do("GET", "/api/state", nil, http.StatusOK, &state)
	require.Equal(t, before, state.Flags.Errors)
	a.do("GET", "/api/flags/fixes?subject=nothing", nil, 404, nil)
}

// While a rule is written it is told which flags it would raise and clear; and of a saved one what shuts it out.
func TestFlagsOfARuleBeingWritten(t *testing.T) {
	a := started(t, store.Manager)
	var impact struct {
		Known           bool
		Raised, Cleared []struct {
			Kind, Example string
			Count         int
		}
	}
	rule := func(percent string) object {
		return object{"code": "DEEP", "layer": "promotion", "rank": 1, "where": object{"sku": "BAT-30"},
			"effect": object{"percentOff": percent}}
	}
	require.Eventually(t, func() bool {
		a.do("POST", "/api/impact/flags?channel=web", rule("99"), http.StatusOK, &impact)
		return impact.Known
	}, time.Minute, 50*time.Millisecond)
	raised := map[string]int{}
	for _, r := range impact.Raised {
		raised[r.Kind] = r.Count
	}
	require.Equal(t, 1, raised["below-cost"])
	a.do("POST", "/api/impact/flags?channel=web", rule("1"), http.StatusOK, &impact)
	for _, r := range impact.Raised {
		require.NotEqual(t, "below-cost", r.Kind)
	}
	a.do("POST", "/api/impact/flags?channel=web", rule("x"), http.StatusOK, &impact)
	require.False(t, impact.Known)

	a.do("POST", "/api/rules", object{"code": "SECOND", "layer": "group", "rank": 99, "where": object{"sku": "BAT-30"},
		"effect": object{"percentOff": "1"}}, http.StatusOK, nil)
	a.do("POST", "/api/rules", object{"code": "FIRST", "layer": "group", "rank": 98, "where": object{"all": []any{}},
		"effect": object{"percentOff": "2"}}, http.StatusOK, nil)
	var why struct {
		Known          bool
		Reach, Applies int
		Shutters       []struct {
			By, Reason string
			Products   int
			Witness    struct{ SKU string }
		}
	}
	require.Eventually(t, func() bool {
		a.do("GET", "/api/rules/SECOND/why-not", nil, http.StatusOK, &why)
		return why.Known
	}, time.Minute, 50*time.Millisecond)
	require.Equal(t, []int{1, 0}, []int{why.Reach, why.Applies})
	shutters := map[string]string{}
	for _, h := range why.Shutters {
		shutters[h.By] = h.Reason
	}
	require.Equal(t, "outranked", shutters["FIRST"])
	a.do("GET", "/api/rules/NOBODY/why-not", nil, 404, nil)
}
