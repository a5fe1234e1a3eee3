package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// CheckForm is an expected price.
type CheckForm struct {
	Name string  `json:"name" maxLength:"200"`
	Doc  ItemDoc `json:"doc" doc:"an expectation as docs/book.md writes it: {price, is}"`
}

// CheckRow is a pinned price with where it stands.
type CheckRow struct {
	ID          int64             `json:"id"`
	Name        string            `json:"name"`
	Doc         ItemDoc           `json:"doc"`
	Who         string            `json:"who"`
	At          string            `json:"at" doc:"when it was pinned"`
	State       string            `json:"state" enum:"holds,broken,no-answer"`
	Problem     string            `json:"problem,omitempty" doc:"why there is no answer"`
	Differences []CheckDifference `json:"differences"`
}

// CheckDifference is one value that is not as expected.
type CheckDifference struct {
	What string `json:"what" doc:"such as unit"`
	Want string `json:"want"`
	Have string `json:"have"`
}

// CheckList is all checks, with the broken ones first.
type CheckList struct {
	Checks []CheckRow `json:"checks"`
	Broken int        `json:"broken"`
}

// BrokenCheck is a check that an edit would break.
type BrokenCheck struct {
	ID          int64             `json:"id"`
	Name        string            `json:"name"`
	Problem     string            `json:"problem,omitempty"`
	Differences []CheckDifference `json:"differences"`
}

// longestCheck is how many bytes of JSON an expectation may have.
const longestCheck = 20_000

func (s *Server) registerChecks(api huma.API) {
	huma.Get(api, "/api/checks", func(ctx context.Context, _ *struct{}) (*body[CheckList], error) {
		return answer(s.checks(ctx, s.live.Current().Engine))
	})
	write := func(ctx context.Context, id int64, form *CheckForm) (*struct{}, error) {
		c := store.Check{ID: id, Name: strings.TrimSpace(form.Name), Doc: string(form.Doc), Who: personOf(ctx).Name, At: s.now().UTC()}
		if c.Name == "" {
			return nil, invalid("name", "Say in a few words what is expected.")
		}
		if len(c.Doc) > longestCheck {
			return nil, invalid("doc", "An expectation has at most 20,000 characters.")
		}
		x, err := bookfile.ReadExpectation(form.Doc)
		if err != nil {
			return nil, asProblem(err)
		}
		if !x.OfPrice() {
			return nil, invalid("price", "A pinned check is of a price.")
		}
		if _, err := x.Run(s.live.Current().Engine); err != nil {
			return nil, invalid("price", err.Error())
		}
		kept := store.CheckPinned
		if id != 0 {
			kept = store.CheckChanged
		}
		if err := s.store.SaveCheck(ctx, &c); err != nil {
			return nil, asProblem(err)
		}
		s.record(ctx, c.Who, kept, c.Name)
		return nil, nil
	}
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/checks", DefaultStatus: http.StatusNoContent}, func(ctx context.Context, in *struct{ Body CheckForm }) (*struct{}, error) {
		return write(ctx, 0, &in.Body)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPut, Path: "/api/checks/{id}", DefaultStatus: http.StatusNoContent}, func(ctx context.Context, in *struct {
		ID   int64 `path:"id"`
		Body CheckForm
	}) (*struct{}, error) {
		return write(ctx, in.ID, &in.Body)
	})
	huma.Register(api, huma.Operation{Method: http.MethodDelete, Path: "/api/checks/{id}", DefaultStatus: http.StatusNoContent}, func(ctx context.Context, in *struct {
		ID int64 `path:"id"`
	}) (*struct{}, error) {
		name, err := s.store.DropCheck(ctx, in.ID)
		if err == nil {
			s.record(ctx, personOf(ctx).Name, store.CheckDropped, name)
		}
		return nil, asProblem(err)
	})
	huma.Get(api, "/api/checks/file", func(ctx context.Context, _ *struct{}) (*huma.StreamResponse, error) {
		list, err := s.store.Checks(ctx)
		if err != nil {
			return nil, asProblem(err)
		}
		expect := []json.RawMessage{}
		for _, c := range list {
			expect = append(expect, json.RawMessage(c.Doc))
		}
		doc, err := json.Marshal(map[string]any{"name": "pinned prices", "book": json.RawMessage(bookfile.Encode(s.live.Current().Book)), "expect": expect})
		if err != nil {
			return nil, asProblem(fmt.Errorf("write the checks: %w", err))
		}
		return &huma.StreamResponse{Body: func(out huma.Context) {
			out.SetHeader("Content-Type", "application/json")
			out.SetHeader("Content-Disposition", `attachment; filename="checks.json"`)
			_, _ = out.BodyWriter().Write(doc)
		}}, nil
	})
}

// differencesOf are those of a check as answers tell them.
func differencesOf(r checks.Result) []CheckDifference {
	list := make([]CheckDifference, len(r.Differences))
	for i, d := range r.Differences {
		list[i] = CheckDifference{d.What, d.Want, d.Have}
	}
	return list
}

func (s *Server) checks(ctx context.Context, engine *pricing.Engine) (CheckList, error) {
	list, err := s.store.Checks(ctx)
	if err != nil {
		return CheckList{}, err
	}
	var good, bad []CheckRow
	for i := range list {
		c := &list[i]
		row := CheckRow{ID: c.ID, Name: c.Name, Doc: ItemDoc(c.Doc), Who: c.Who, At: s.wall(c.At), State: "holds"}
		found := checks.Run(checks.Pinned{ID: c.ID, Name: c.Name, Doc: c.Doc}, engine)
		row.Differences, row.Problem = differencesOf(found), found.Problem
		switch {
		case row.Problem != "":
			row.State = "no-answer"
			bad = append(bad, row)
		case len(row.Differences) > 0:
			row.State = "broken"
			bad = append(bad, row)
		default:
			good = append(good, row)
		}
	}
	return CheckList{append(append([]CheckRow{}, bad...), good...), len(bad)}, nil
}

// broken are the checks that hold with one engine and not with another.
func (s *Server) broken(ctx context.Context, before, after *pricing.Engine) ([]BrokenCheck, error) {
	pinned, err := s.store.Pinned(ctx)
	if err != nil {
		return []BrokenCheck{}, err
	}
	return brokenChecks(checks.Broken(pinned, before, after)), nil
}

func brokenChecks(found []checks.Result) []BrokenCheck {
	out := []BrokenCheck{}
	for _, r := range found {
		out = append(out, BrokenCheck{r.ID, r.Name, r.Problem, differencesOf(r)})
	}
	return out
}

// Breaks is the problem document of a write that would break pinned prices and does not say that somebody has seen that.
type Breaks struct {
	huma.ErrorModel
	Checks []BrokenCheck `json:"checks"`
}

// breaksSeenHeader of a request says that whoever sends it has seen which checks it breaks.
const breaksSeenHeader = "Breaks-Seen"

type breaksSeenKey struct{}

func noteBreaksSeen(c *gin.Context) {
	if c.GetHeader(breaksSeenHeader) != "" {
		c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), breaksSeenKey{}, true))
	}
	c.Next()
}

func breaksSeen(ctx context.Context) bool {
	seen, _ := ctx.Value(breaksSeenKey{}).(bool)
	return seen
}
