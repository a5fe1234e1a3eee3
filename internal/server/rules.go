package server

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/agreed"
	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/bulk"
	"dogbane/internal/flagsearch"
	"dogbane/internal/intake"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/store"
	"dogbane/internal/timeline"
)

// RuleRow is a rule in the stack.
type RuleRow struct {
	Rule  RuleDoc `json:"rule"`
	ETag  string  `json:"etag" doc:"of this state of the rule; writes carry it as If-Match"`
	Reach int     `json:"reach" doc:"products that its selection holds; of an offer, those that can take part"`
	State string  `json:"state" enum:"on,off,draft,waits,opens,closed,over,never" doc:"at the present: on now, off, a draft, its campaign not on, opens later, between its times, over, never open"`
	Next  string  `json:"next,omitempty" doc:"when it opens, or shuts where it is on"`
	Flags int     `json:"flags" doc:"errors and warnings about the rule itself"`
}

// RuleWrite is a rule to be saved; its errors are found by package bookfile.
type RuleWrite struct {
	IfMatch string `header:"If-Match" doc:"the etag of the state that this is based on"`
	Body    RuleDoc
}

// RuleSwitch switches a rule.
type RuleSwitch struct {
	Status string `json:"status" enum:"on,off,draft"`
}

// SKUText is a pasted list of SKUs.
type SKUText struct {
	Text string `json:"text" doc:"SKUs in any separator" maxLength:"2000000"`
}

// longTextBody holds a SKUText whose every character takes four bytes, as JSON.
const longTextBody = 10 << 20

// RuleList is all rules.
type RuleList struct {
	Version int64     `json:"version"`
	Rules   []RuleRow `json:"rules" doc:"by layer, rank and code"`
}

func etag(doc []byte) string {
	sum := sha256.Sum256(doc)
	return `"` + hex.EncodeToString(sum[:8]) + `"`
}

// RuleQuery names a rule.
type RuleQuery struct {
	Seen
	Code string `path:"code"`
}

// SKURule asks to put products into a rule's selection.
type SKURule struct {
	SKUs []string `json:"skus" minItems:"1"`
}

func (s *Server) registerRules(api huma.API) {
	get(api, "/api/rules", func(_ context.Context, _ *none) (RuleList, error) {
		snap := s.Live.Current()
		return RuleList{snap.Version, s.ruleRows(snap)}, nil
	})
	answers(api, store.Manager, http.MethodPost, "/api/rules", func(ctx context.Context, in *struct {
		Seen
		Body RuleDoc
	}) (Saved, error) {
		return s.makeRule(ctx, in.Seen, in.Body)
	}, unchecked)
	answers(api, store.Manager, http.MethodPut, "/api/rules/{code}", func(ctx context.Context, in *struct {
		RuleQuery
		RuleWrite
	}) (Saved, error) {
		return s.saveRule(ctx, in.Seen, in.Code, in.IfMatch, in.Body)
	}, unchecked, staleAware)
	answers(api, store.Manager, http.MethodDelete, "/api/rules/{code}",
		func(ctx context.Context, in *RuleQuery) (Saved, error) {
			return s.changeRule(ctx, in, func(r pricing.Rule) (*pricing.Rule, string) { return nil, "Deleted the rule" })
		})
	answers(api, store.Manager, http.MethodPost, "/api/rules/{code}/switch", func(ctx context.Context, in *struct {
		RuleQuery
		Body RuleSwitch
	}) (Saved, error) {
		verb := map[string]string{"on": "Switched on", "off": "Switched off", "draft": "Made a draft of"}[in.Body.Status]
		return s.changeRule(ctx, &in.RuleQuery, func(r pricing.Rule) (*pricing.Rule, string) {
			r.Status = pricing.Status(in.Body.Status)
			return &r, verb
		})
	})
	answers(api, store.Manager, http.MethodPost, "/api/rules/{code}/add-products", func(ctx context.Context, in *struct {
		RuleQuery
		Body SKURule
	}) (Saved, error) {
		return s.changeRule(ctx, &in.RuleQuery, func(r pricing.Rule) (*pricing.Rule, string) {
			r.Where = bulk.WithSKUs(r.Where, in.Body.SKUs)
			return &r, "Added " + bulk.Counted(len(in.Body.SKUs), "product") + " to"
		})
	})
	answers(api, store.Reader, http.MethodPost, "/api/sku-list",
		func(_ context.Context, in *struct{ Body SKUText }) (intake.SKUList, error) {
			return intake.ReadSKUs(in.Body.Text, s.Live.Current().Book), nil
		}, upTo(longTextBody))
	answers(api, store.Reader, http.MethodPost, "/api/named-goods",
		func(_ context.Context, in *struct{ Body ChosenGoods }) (NamedList, error) {
			snap := s.Live.Current()
			return NamedList{board.Named(snap.Book, in.Body.SKUs, s.moment(snap))}, nil
		})
	get(api, "/api/facets", func(_ context.Context, _ *none) (board.Facets, error) {
		facets := board.FacetsOf(s.Live.Current().Book)
		facets.Levels = slices.DeleteFunc(facets.Levels, agreed.IsLevel)
		return facets, nil
	})
}

// ChosenGoods are products that were chosen by their SKUs.
type ChosenGoods struct {
	SKUs []string `json:"skus" maxItems:"500"`
}

// NamedList is what they are called.
type NamedList struct {
	Goods []board.NamedGoods `json:"goods" doc:"those that the book knows, in the order asked for"`
}

// changeRule changes a saved rule; a nil one is deleted. verb says in the log what was done.
func (s *Server) changeRule(ctx context.Context, of *RuleQuery,
	change func(r pricing.Rule) (next *pricing.Rule, verb string)) (Saved, error) {
	r := s.Live.Current().Rule(of.Code)
	if r == nil {
		return Saved{}, store.ErrNotFound
	}
	next, verb := change(*r)
	return s.commit(ctx, of.Seen, fmt.Sprintf("%s “%s”", verb, r.Title()), []book.Change{book.OfRule(r, next)})
}

func (s *Server) ruleRows(snap *book.Snapshot) []RuleRow {
	now := s.moment(snap)
	trouble := map[string]int{}
	found := s.flags.Of(snap)
	told := map[string]bool{}
	for i := range found.Flags {
		f := found.Flags[i]
		if about := flagsearch.Subject(f); f.SKU != "" || told[about] || f.Severity == string(flags.Note) {
			continue
		} else {
			told[about] = true
		}
		codes := f.Rules
		if f.Rule != "" {
			codes = []string{f.Rule}
		}
		for _, code := range codes {
			trouble[code]++
		}
	}
	rows, present := []RuleRow{}, snap.Engine.At(now)
	for _, r := range snap.Book.RulesInOrder() {
		doc := bookfile.EncodeRule(r)
		row := RuleRow{Rule: RuleDoc(doc), ETag: etag(doc), Flags: trouble[r.Code]}
		row.Reach, _ = present.Reach(r.Code)
		if taking, of := snap.Baskets().Reach(r.Code); of {
			row.Reach = taking
		}
		row.State, row.Next = standing(snap, r, now)
		rows = append(rows, row)
	}
	return rows
}

// standing is the state of a rule at a moment, and when that changes next, if it does.
func standing(snap *book.Snapshot, r *pricing.Rule, at pricing.Moment) (state, next string) {
	s := timeline.StandingOf(snap.Book, r, at)
	if s.Next != nil {
		next = s.Next.String()
	}
	return string(s.State), next
}

// makeRule saves a new rule.
func (s *Server) makeRule(ctx context.Context, seen Seen, doc RuleDoc) (Saved, error) {
	snap := s.Live.Current()
	next, err := bookfile.DecodeRule(doc, snap.Book)
	if err != nil {
		return Saved{}, err
	}
	if snap.Rule(next.Code) != nil {
		return Saved{}, invalid("code", fmt.Sprintf("There is a rule with the code %q already.", next.Code))
	}
	return s.commit(ctx, seen, fmt.Sprintf("Made the rule “%s”", next.Title()), []book.Change{book.OfRule(nil, &next)})
}

// saveRule saves another state of a rule.
func (s *Server) saveRule(ctx context.Context, seen Seen, code, ifMatch string, doc RuleDoc) (Saved, error) {
	snap := s.Live.Current()
	next, err := bookfile.DecodeRule(doc, snap.Book)
	if err != nil {
		return Saved{}, err
	}
	before := snap.Rule(code)
	switch {
	case next.Code != code:
		return Saved{}, invalid("code", "A rule keeps its code; copy it to make one with another.")
	case before == nil:
		return Saved{}, &book.Conflict{Kind: book.Rules, Code: code}
	case ifMatch == "":
		return Saved{}, model(http.StatusPreconditionRequired, "Say with If-Match which state of the rule this is based on.")
	}
	change := book.OfRule(before, &next)
	if ifMatch != etag(change.Before) {
		return Saved{}, &book.Conflict{Kind: book.Rules, Code: code, Now: change.Before}
	}
	return s.commit(ctx, seen, fmt.Sprintf("Changed the rule “%s”", next.Title()), []book.Change{change})
}
