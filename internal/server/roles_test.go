package server_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/server"
	"dogbane/internal/store"
)

// operations are all that the API's own description lists, as "METHOD /path", with something in the place of
// parameters.
func operations(t *testing.T) (list []string) {
	t.Helper()
	text, err := server.OpenAPI()
	require.NoError(t, err)
	var doc struct {
		Paths map[string]map[string]json.RawMessage
	}
	require.NoError(t, json.Unmarshal(text, &doc))
	fill := strings.NewReplacer("{id}", "1", "{kind}", "groups", "{", "", "}", "")
	for path, methods := range doc.Paths {
		for method := range methods {
			list = append(list, strings.ToUpper(method)+" "+fill.Replace(path))
		}
	}
	require.Greater(t, len(list), 40)
	return list
}

// A reader may ask everything, also with POST, and change nothing but what is their own.
func TestAReaderChangesNothing(t *testing.T) {
	a := started(t, store.Reader)
	open := map[string]bool{"POST /api/session": true, "DELETE /api/session": true, "POST /api/password": true,
		"PUT /api/saved-views": true, "DELETE /api/saved-views": true,
		"POST /api/impact": true, "POST /api/sku-list": true, "POST /api/named-goods": true, "POST /api/book/compare": true, "POST /api/imports": true,
		"POST /api/imports/paste": true, "POST /api/channels/keeps": true,
		"POST /api/impact/nearest": true, "POST /api/impact/elsewhere": true, "POST /api/impact/trial": true,
		"POST /api/impact/flags": true, "POST /api/basket": true, "POST /api/copies/plan": true}
	for _, op := range operations(t) {
		method, path, _ := strings.Cut(op, " ")
		if method == "GET" && !strings.HasPrefix(path, "/api/people") || open[op] || strings.HasSuffix(path, "/preview") ||
			strings.HasPrefix(path, "/channel/") { // these want a key of a channel, whoever is signed in
			continue
		}
		var p problem
		a.do(method, path, map[string]string{}, http.StatusForbidden, &p)
		require.Contains(t, p.Detail, "This needs the role", op)
	}
	before, err := a.store.Version(t.Context())
	require.NoError(t, err)
	require.EqualValues(t, 1, before)
}

// Every operation says in the API's description which role it needs; whoever has less is refused, whoever has just that is
// not.
func TestRolesAreThoseOfTheDescription(t *testing.T) {
	a := started(t, store.Administrator)
	text, err := server.OpenAPI()
	require.NoError(t, err)
	var doc struct {
		Paths map[string]map[string]struct {
			Role *store.Role `json:"x-role"`
		}
	}
	require.NoError(t, json.Unmarshal(text, &doc))
	roles := []store.Role{store.Reader, store.Manager, store.Approver, store.Administrator}
	people := map[store.Role]*api{}
	for _, r := range roles {
		people[r] = a.as("the "+string(r), r)
	}
	fill := strings.NewReplacer("{id}", "1", "{kind}", "groups", "{", "", "}", "")
	declared := map[store.Role]int{}
	for path, methods := range doc.Paths {
		for method, op := range methods {
			name := strings.ToUpper(method) + " " + path
			require.NotNil(t, op.Role, "%s declares no role", name)
			declared[*op.Role]++
			if *op.Role == "" || path == "/api/password" || path == "/api/session" {
				continue // of nobody, or of whoever is signed in
			}
			needs := slices.Index(roles, *op.Role)
			require.GreaterOrEqual(t, needs, 0, name)
			for i, r := range roles[:min(needs+1, len(roles))] {
				status, _ := people[r].raw(strings.ToUpper(method), fill.Replace(path), []byte("{}"))
				if i < needs {
					require.Equal(t, http.StatusForbidden, status, "%s as %s", name, r)
				} else {
					require.NotContains(t, []int{http.StatusUnauthorized, http.StatusForbidden}, status, "%s as %s", name, r)
				}
			}
		}
	}
	for _, r := range []store.Role{store.Reader, store.Manager, store.Administrator} {
		require.Positive(t, declared[r], r)
	}
}

// Without a session nothing is told but who might sign in, and what programs with a key may ask.
func TestStrangersLearnNothing(t *testing.T) {
	a := started(t, store.Reader)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	a.client = &http.Client{Jar: jar}
	for _, op := range operations(t) {
		method, path, _ := strings.Cut(op, " ")
		open := path == "/api/session" || path == "/openapi.json" || strings.HasPrefix(path, "/images/") // for customers
		if !open {
			a.do(method, path, map[string]string{}, http.StatusUnauthorized, nil)
		}
	}
	var session struct {
		Name string
		Demo []any
	}
	a.do("GET", "/api/session", nil, 200, &session)
	require.Empty(t, session.Name)
	require.Empty(t, session.Demo, "these are no demo accounts")
}

// A cookie from before signing out, or of somebody let go, is worth nothing.
func TestSessionsEnd(t *testing.T) {
	a := started(t, store.Administrator)
	kept := a.client.Jar
	a.do("POST", "/api/people", map[string]any{"name": "rikus", "fullName": "Rikus", "role": "manager", "active": true,
		"password": "another long one"}, 204, nil)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	a.client = &http.Client{Jar: jar}
	a.do("POST", "/api/session", map[string]string{"name": "rikus", "password": "another long one"}, 200, nil)
	a.do("GET", "/api/state", nil, 200, nil)
	rikus := a.client
	a.client = &http.Client{Jar: kept}
	a.do("PUT", "/api/people/rikus", map[string]any{"fullName": "Rikus", "role": "manager", "active": false}, 204, nil)
	var p problem
	a.do("PUT", "/api/people/me", map[string]any{"fullName": "Me", "role": "reader", "active": true}, 422, &p)
	require.Contains(t, p.Errors[0].Message, "Nobody else is an administrator")
	a.client = rikus
	a.do("GET", "/api/state", nil, 401, nil)
	a.client = &http.Client{Jar: kept}
	a.do("DELETE", "/api/session", nil, 204, nil)
	a.do("GET", "/api/state", nil, 401, nil)
}

// A view that somebody keeps is their own.
func TestSavedViews(t *testing.T) {
	a := started(t, store.Reader)
	a.do("PUT", "/api/saved-views", map[string]string{"name": " ", "query": "?q=x"}, 422, nil)
	a.do("PUT", "/api/saved-views", map[string]string{"name": "Kilns", "query": "?category=Kilns"}, 204, nil)
	a.do("PUT", "/api/saved-views", map[string]string{"name": "Kilns", "query": "?category=Kilns&desc=true"}, 204, nil)
	var list struct {
		Views []struct{ Name, Query string }
	}
	a.do("GET", "/api/saved-views", nil, 200, &list)
	require.Len(t, list.Views, 1, "the same name again replaces")
	require.Equal(t, "?category=Kilns&desc=true", list.Views[0].Query)
	a.do("DELETE", "/api/saved-views?name=Kilns", nil, 204, nil)
	a.do("GET", "/api/saved-views", nil, 200, &list)
	require.Empty(t, list.Views)
}

// What a bulk change shows before is what it does, and one undo takes all of it back.
func TestBulkDoesWhatItShowed(t *testing.T) {
	a := started(t, store.Manager)
	form := map[string]any{"field": "list", "how": "percentOn", "value": "7.5", "step": "0.5", "direction": "up",
		"shift": "-0.05"}
	var preview struct {
		Reached, Changed int
		Sample           []struct{ SKU, Before, After string }
	}
	a.do("POST", "/api/bulk/preview?channel=web&category=Wheels", form, 200, &preview)
	require.Positive(t, preview.Changed)
	a.do("POST", "/api/bulk?channel=web&category=Wheels", form, 200, nil)
	list := func(sku string) string {
		var b struct {
			Rows []struct{ SKU, List string }
		}
		a.do("GET", "/api/board?q="+sku, nil, 200, &b)
		for _, r := range b.Rows {
			if r.SKU == sku {
				return r.List
			}
		}
		return ""
	}
	for _, s := range preview.Sample {
		require.Equal(t, s.After, list(s.SKU))
		require.True(t, strings.HasSuffix(s.After, ".45") || strings.HasSuffix(s.After, ".95"), s.After)
	}
	var log struct{ Entries []struct{ ID int64 } }
	a.do("GET", "/api/log", nil, 200, &log)
	a.do("POST", fmt.Sprintf("/api/log/%d/undo", log.Entries[0].ID), nil, 200, nil)
	for _, s := range preview.Sample {
		require.Equal(t, s.Before, list(s.SKU))
	}
}
