package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/store"
)

// CheckForm is an expected price.
type CheckForm struct {
	Name string  `json:"name" maxLength:"200"`
	Doc  ItemDoc `json:"doc" doc:"an expectation as docs/book.md writes it: {price, is} or {basket, is}"`
}

// CheckRow is a pinned price with where it stands.
type CheckRow struct {
	ID          int64               `json:"id"`
	Name        string              `json:"name"`
	Doc         ItemDoc             `json:"doc"`
	Who         string              `json:"who"`
	At          string              `json:"at" doc:"when it was pinned"`
	State       string              `json:"state" enum:"holds,broken,no-answer"`
	Problem     string              `json:"problem,omitempty" doc:"why there is no answer"`
	Differences []checks.Difference `json:"differences"`
}

// CheckList is all checks, with the broken ones first.
type CheckList struct {
	Checks []CheckRow `json:"checks"`
	Broken int        `json:"broken"`
}

// longestCheck is how many bytes of JSON an expectation may have.
const longestCheck = 20_000

// CheckQuery names a check.
type CheckQuery struct {
	ID int64 `path:"id"`
}

func (s *Server) registerChecks(api huma.API) {
	get(api, "/api/checks", func(ctx context.Context, _ *none) (CheckList, error) { return s.checks(ctx) })
	does(api, store.Manager, http.MethodPost, "/api/checks", func(ctx context.Context,
		in *struct{ Body CheckForm }) error {
		return s.keepCheck(ctx, 0, &in.Body)
	})
	does(api, store.Manager, http.MethodPut, "/api/checks/{id}", func(ctx context.Context, in *struct {
		CheckQuery
		Body CheckForm
	}) error {
		return s.keepCheck(ctx, in.ID, &in.Body)
	})
	does(api, store.Manager, http.MethodDelete, "/api/checks/{id}", func(ctx context.Context, in *CheckQuery) error {
		name, err := s.Store.DropCheck(ctx, in.ID)
		if err == nil {
			s.record(ctx, personOf(ctx).Name, store.CheckDropped, name)
		}
		return err
	})
	on(api, store.Reader, http.MethodGet, "/api/checks/file", s.checksFile)
}

// keepCheck keeps a new check (id 0) or another state of one.
func (s *Server) keepCheck(ctx context.Context, id int64, form *CheckForm) error {
	c := store.Check{ID: id, Name: strings.TrimSpace(form.Name), Doc: string(form.Doc), Who: personOf(ctx).Name,
		At: s.Clocks.Book().UTC()}
	if c.Name == "" {
		return invalid("name", "Say in a few words what is expected.")
	}
	if len(c.Doc) > longestCheck {
		return invalid("doc", "An expectation has at most 20,000 characters.")
	}
	x, err := bookfile.ReadExpectation(form.Doc)
	if err != nil {
		return err
	}
	if !x.OfPrice() {
		return invalid("price", "A pinned check is of a price or a basket.")
	}
	snap := s.Live.Current()
	if _, err := x.Run(snap.Engine, snap.Baskets); err != nil {
		return invalid("price", err.Error())
	}
	kept := store.CheckPinned
	if id != 0 {
		kept = store.CheckChanged
	}
	if err := s.Store.SaveCheck(ctx, &c); err != nil {
		return err
	}
	s.record(ctx, c.Who, kept, c.Name)
	return nil
}

// checksFile is all checks with the book, as dogbane check reads them.
func (s *Server) checksFile(ctx context.Context, _ *none) (*huma.StreamResponse, error) {
	list, err := s.Store.Checks(ctx)
	if err != nil {
		return nil, err
	}
	expect := []json.RawMessage{}
	for _, c := range list {
		expect = append(expect, json.RawMessage(c.Doc))
	}
	doc, err := json.Marshal(map[string]any{"name": "pinned prices",
		"book": json.RawMessage(bookfile.Encode(s.Live.Current().Book)), "expect": expect})
	if err != nil {
		return nil, fmt.Errorf("write the checks: %w", err)
	}
	return &huma.StreamResponse{Body: func(out huma.Context) {
		out.SetHeader("Content-Type", "application/json")
		out.SetHeader("Content-Disposition", `attachment; filename="checks.json"`)
		_, _ = out.BodyWriter().Write(doc)
	}}, nil
}

func (s *Server) checks(ctx context.Context) (CheckList, error) {
	list, err := s.Store.Checks(ctx)
	if err != nil {
		return CheckList{}, err
	}
	snap := s.Live.Current()
	engines := checks.Engines{Prices: snap.Engine, Baskets: snap.Baskets}
	var good, bad []CheckRow
	for i := range list {
		c := &list[i]
		found := checks.Run(checks.Pinned{ID: c.ID, Name: c.Name, Doc: c.Doc}, engines)
		row := CheckRow{ID: c.ID, Name: c.Name, Doc: ItemDoc(c.Doc), Who: c.Who, At: s.wall(c.At), State: "holds",
			Problem: found.Problem, Differences: found.Differences}
		switch {
		case found.Holds():
			good = append(good, row)
			continue
		case row.Problem != "":
			row.State = "no-answer"
		default:
			row.State = "broken"
		}
		bad = append(bad, row)
	}
	return CheckList{append(append([]CheckRow{}, bad...), good...), len(bad)}, nil
}
