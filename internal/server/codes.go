package server

import (
	"context"
	"encoding/csv"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/codes"
	"dogbane/internal/intake"
	"dogbane/internal/store"
)

// CodeOffers are the offers that want a code.
type CodeOffers struct {
	Offers []CodeOffer `json:"offers"`
}

// CodeOffer is an offer that wants a code.
type CodeOffer struct {
	Rule     string   `json:"rule"`
	Name     string   `json:"name"`
	State    string   `json:"state" doc:"at the present, as in the list of rules"`
	Next     string   `json:"next,omitempty" doc:"when it opens, or shuts where it is on"`
	Words    []string `json:"words" doc:"those in the book"`
	Listed   bool     `json:"listed" doc:"further words are kept beside the book"`
	Count    int      `json:"count" doc:"words beside the book"`
	Uses     *int     `json:"uses" doc:"of each word; null: any number"`
	Customer *int     `json:"usesPerCustomer"`
	Used     int      `json:"used" doc:"orders that used one of its words"`
}

// CodeRows is a page of an offer's words beside the book.
type CodeRows struct {
	Codes []CodeRow `json:"codes"`
	Next  string    `json:"next,omitempty" doc:"goes on after this word"`
}

// CodeRow is a word with its uses.
type CodeRow struct {
	Word string `json:"word"`
	Uses int    `json:"uses"`
	Last string `json:"last,omitempty" doc:"when it was used last"`
}

// CodeUses are who used an offer, newest first.
type CodeUses struct {
	Uses []CodeUse `json:"uses"`
}

// CodeUse is one use.
type CodeUse struct {
	At           string `json:"at"`
	Channel      string `json:"channel"`
	Key          string `json:"key"`
	Code         string `json:"code"`
	Customer     string `json:"customer"`
	Applications int    `json:"applications"`
	GivenBack    string `json:"givenBack,omitempty"`
}

// MakeCodes says how codes are made.
type MakeCodes struct {
	Prefix string `json:"prefix"`
	Length int    `json:"length" doc:"of what is drawn behind the prefix"`
	Count  int    `json:"count"`
}

// CodesAdded says what came of words that were made or brought in.
type CodesAdded struct {
	Added   int         `json:"added"`
	Known   int         `json:"known" doc:"that were there already"`
	Bad     []codes.Bad `json:"bad" doc:"lines that hold no code; where there are some, nothing was kept"`
	Example string      `json:"example"`
}

// CodesQuery names an offer.
type CodesQuery struct {
	Rule string `path:"rule"`
}

// CodesPage asks for a page of an offer's words.
type CodesPage struct {
	CodesQuery
	Holding string `query:"q" doc:"only words that hold these letters"`
	Used    bool   `query:"used" doc:"only words that were used"`
	After   string `query:"after"`
	Limit   int    `query:"limit" minimum:"1" maximum:"1000" default:"100"`
}

func (s *Server) registerCodes(api huma.API) {
	get(api, "/api/codes", s.codeOffers)
	get(api, "/api/codes/{rule}", s.codeRows)
	get(api, "/api/codes/{rule}/uses", func(ctx context.Context, in *struct {
		CodesQuery
		Word string `query:"word"`
	}) (CodeUses, error) {
		list, err := s.Store.Redemptions(ctx, in.Rule, in.Word, 200)
		out := CodeUses{Uses: []CodeUse{}}
		for _, r := range list {
			use := CodeUse{At: s.wall(r.At), Channel: r.Channel, Key: r.Key, Code: r.Word, Customer: r.Customer,
				Applications: r.Applications}
			if r.GivenBack != nil {
				use.GivenBack = s.wall(*r.GivenBack)
			}
			out.Uses = append(out.Uses, use)
		}
		return out, err
	})
	on(api, store.Reader, http.MethodGet, "/api/codes/{rule}/file", s.codesFile)
	answers(api, store.Manager, http.MethodPost, "/api/codes/{rule}/made", s.makeCodes)
	answers(api, store.Manager, http.MethodPost, "/api/codes/{rule}", func(ctx context.Context, in *struct {
		CodesQuery
		Body struct {
			Text string `json:"text" doc:"a word a line, or the first column of a CSV file"`
		}
	}) (CodesAdded, error) {
		words, bad := codes.Read(in.Body.Text)
		if len(bad) > 0 {
			return CodesAdded{Bad: bad[:min(len(bad), 20)]}, nil
		}
		if len(words) == 0 {
			return CodesAdded{}, invalid("text", "There is no code in it.")
		}
		return s.addCodes(ctx, in.Rule, words)
	}, upTo(intake.LargestFile))
	answers(api, store.Manager, http.MethodDelete, "/api/codes/{rule}", func(ctx context.Context, in *struct {
		CodesQuery
		Word []string `query:"word" doc:"none: all"`
	}) (CodesAdded, error) {
		n, err := s.Store.DropCodes(ctx, in.Rule, in.Word)
		if err == nil && n > 0 {
			s.record(ctx, personOf(ctx).Name, store.CodesDropped, fmt.Sprintf("%d of %s", n, in.Rule))
		}
		return CodesAdded{Known: n, Bad: []codes.Bad{}}, err
	})
}

func (s *Server) codeOffers(ctx context.Context, _ *none) (CodeOffers, error) {
	out := CodeOffers{Offers: []CodeOffer{}}
	counts, err := s.Store.CodeCounts(ctx)
	if err != nil {
		return out, err
	}
	used, err := s.Store.CodeOrders(ctx)
	if err != nil {
		return out, err
	}
	snap := s.Live.Current()
	for _, r := range snap.Book.RulesInOrder() {
		if r.Offer == nil || r.Offer.Codes == nil {
			continue
		}
		c := r.Offer.Codes
		state, next := standing(snap, r, s.moment(snap))
		out.Offers = append(out.Offers, CodeOffer{Rule: r.Code, Name: r.Title(), State: state, Next: next,
			Words: append([]string{}, c.Words...), Listed: c.Listed, Count: counts[r.Code], Uses: c.Uses,
			Customer: c.UsesPerCustomer, Used: used[r.Code]})
	}
	return out, nil
}

func (s *Server) codeRows(ctx context.Context, in *CodesPage) (CodeRows, error) {
	out := CodeRows{Codes: []CodeRow{}}
	list, err := s.Store.Codes(ctx, in.Rule, strings.ToUpper(in.Holding), in.After, in.Used, in.Limit+1)
	if err != nil {
		return out, err
	}
	if len(list) > in.Limit {
		list = list[:in.Limit]
		out.Next = list[in.Limit-1].Word
	}
	for _, w := range list {
		row := CodeRow{Word: w.Word, Uses: w.Uses}
		if w.Last != nil {
			row.Last = s.wall(*w.Last)
		}
		out.Codes = append(out.Codes, row)
	}
	return out, nil
}

func (s *Server) makeCodes(ctx context.Context, in *struct {
	CodesQuery
	Body MakeCodes
}) (CodesAdded, error) {
	b := codes.Batch{Prefix: strings.TrimSpace(in.Body.Prefix), Length: in.Body.Length, Count: in.Body.Count}
	if err := b.Check(); err != nil {
		return CodesAdded{}, invalid(err.Key, "This "+err.Problem+".")
	}
	words, err := b.Make()
	if err != nil {
		return CodesAdded{}, err
	}
	return s.addCodes(ctx, in.Rule, words)
}

// addCodes keeps words of an offer that has words beside the book.
func (s *Server) addCodes(ctx context.Context, code string, words []string) (CodesAdded, error) {
	out := CodesAdded{Bad: []codes.Bad{}}
	rule := s.Live.Current().Rule(code)
	if rule == nil || rule.Offer == nil || rule.Offer.Codes == nil || !rule.Offer.Codes.Listed {
		return out, invalid("rule", "This offer has no codes kept beside the book: say so in the offer first.")
	}
	counts, err := s.Store.CodeCounts(ctx)
	if err != nil {
		return out, err
	}
	if counts[code]+len(words) > codes.Most {
		return out, invalid("count", "An offer has at most 1,000,000 codes.")
	}
	out.Added, err = s.Store.AddCodes(ctx, code, words, personOf(ctx).Name, s.Clocks.Book().UTC())
	if err != nil {
		return out, err
	}
	out.Known, out.Example = len(words)-out.Added, words[0]
	s.record(ctx, personOf(ctx).Name, store.CodesAdded, fmt.Sprintf("%d to %s", out.Added, code))
	return out, nil
}

// codesFile is an offer's words as CSV.
func (s *Server) codesFile(_ context.Context, in *CodesQuery) (*huma.StreamResponse, error) {
	return &huma.StreamResponse{Body: func(out huma.Context) {
		out.SetHeader("Content-Type", "text/csv; charset=utf-8")
		out.SetHeader("Content-Disposition", `attachment; filename="codes.csv"`)
		w := csv.NewWriter(out.BodyWriter())
		w.UseCRLF = true
		_ = w.Write([]string{"code", "uses", "last used"})
		for after := ""; ; {
			list, err := s.Store.Codes(out.Context(), in.Rule, "", after, false, 10_000)
			if err != nil || len(list) == 0 {
				break
			}
			for _, c := range list {
				last := ""
				if c.Last != nil {
					last = s.wall(*c.Last)
				}
				_ = w.Write([]string{c.Word, strconv.Itoa(c.Uses), last})
			}
			after = list[len(list)-1].Word
		}
		w.Flush()
	}}, nil
}
