package server

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// RuleRow is a rule in the stack.
type RuleRow struct {
	Rule  RuleDoc `json:"rule"`
	ETag  string  `json:"etag" doc:"of this state of the rule; writes carry it as If-Match"`
	Reach int     `json:"reach" doc:"products that its selection holds"`
	State string  `json:"state" enum:"on,opens,over,closed,off,draft" doc:"at the present: on now, opens later, over, outside its hours, off, draft"`
	Next  string  `json:"next,omitempty" doc:"when it next opens or closes"`
	Ties  int     `json:"ties" doc:"rules of the same rank that it fights with"`
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

// RuleOrder is a new order of a layer's rules.
type RuleOrder struct {
	Layer string   `json:"layer" enum:"catalog,sale,tier,group,promotion"`
	Moved string   `json:"moved" doc:"the rule that was moved"`
	Codes []string `json:"codes" doc:"all rules of the layer in their new order"`
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

func (s *Server) registerRules(api huma.API) {
	huma.Get(api, "/api/rules", func(_ context.Context, _ *struct{}) (*body[RuleList], error) {
		snap := s.live.Current()
		return &body[RuleList]{RuleList{snap.Version, s.ruleRows(snap)}}, nil
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/rules", SkipValidateBody: true}, func(ctx context.Context, in *struct{ Body RuleDoc }) (*body[Saved], error) {
		return answer(s.saveRule(ctx, "", "", in.Body))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPut, Path: "/api/rules/{code}", SkipValidateBody: true, Errors: []int{412}}, func(ctx context.Context, in *struct {
		Code string `path:"code"`
		RuleWrite
	}) (*body[Saved], error) {
		return answer(s.saveRule(ctx, in.Code, in.IfMatch, in.Body))
	})
	huma.Register(api, huma.Operation{Method: http.MethodDelete, Path: "/api/rules/{code}"}, func(ctx context.Context, in *struct {
		Code string `path:"code"`
	}) (*body[Saved], error) {
		snap := s.live.Current()
		r := snap.Rule(in.Code)
		if r == nil {
			return nil, asProblem(store.ErrNotFound)
		}
		return s.commit(ctx, fmt.Sprintf("Deleted the rule “%s”", title(r)), []store.Change{{Kind: store.Rules, Code: r.Code, Before: bookfile.EncodeRule(r)}})
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/rules/{code}/switch"}, func(ctx context.Context, in *struct {
		Code string `path:"code"`
		Body RuleSwitch
	}) (*body[Saved], error) {
		snap := s.live.Current()
		r := snap.Rule(in.Code)
		if r == nil {
			return nil, asProblem(store.ErrNotFound)
		}
		next := *r
		next.Status = pricing.Status(in.Body.Status)
		verb := map[string]string{"on": "Switched on", "off": "Switched off", "draft": "Made a draft of"}[in.Body.Status]
		return s.commit(ctx, fmt.Sprintf("%s “%s”", verb, title(r)), []store.Change{ruleChange(r, &next)})
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/rules-order"}, func(ctx context.Context, in *struct {
		Body RuleOrder
	}) (*body[Saved], error) {
		return s.reorder(ctx, in.Body.Layer, in.Body.Moved, in.Body.Codes)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/impact", SkipValidateBody: true}, func(ctx context.Context, in *struct {
		ViewpointQuery
		Replaces string `query:"replaces" doc:"the saved rule that this one takes the place of"`
		Body     RuleDoc
	}) (*body[Impact], error) {
		return answer(s.impact(ctx, &in.ViewpointQuery, in.Replaces, in.Body))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/impact/nearest", SkipValidateBody: true}, func(_ context.Context, in *NearestQuery) (*body[NearestValues], error) {
		return answer(s.nearest(in))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/sku-list", MaxBodyBytes: longTextBody}, func(_ context.Context, in *struct {
		Body SKUText
	}) (*body[SKUList], error) {
		return &body[SKUList]{s.readSKUs(in.Body.Text)}, nil
	})
	huma.Get(api, "/api/facets", func(_ context.Context, _ *struct{}) (*body[Facets], error) {
		return &body[Facets]{s.facets()}, nil
	})
}

func title(r *pricing.Rule) string { return cmp.Or(r.Name, r.Code) }

func ruleChange(before, after *pricing.Rule) store.Change {
	return store.Change{Kind: store.Rules, Code: after.Code, Before: bookfile.EncodeRule(before), After: bookfile.EncodeRule(after)}
}

// commit saves changes and answers what was saved.
func (s *Server) commit(ctx context.Context, summary string, changes []store.Change) (*body[Saved], error) {
	entry, err := s.live.Save(ctx, store.Edit{Who: personOf(ctx).Name, At: s.now(), Summary: summary, Changes: changes, BreaksSeen: breaksSeen(ctx)})
	if err == nil {
		s.moved.look()
	}
	return answer(saved(entry), err)
}

func (s *Server) ruleRows(snap *store.Snapshot) []RuleRow {
	now := s.moment(snap)
	ties := map[string]int{}
	found, _, _ := s.currentFlags(snap)
	seen := map[string]bool{}
	for _, f := range found {
		if f.Kind == "tie" && !seen[strings.Join(f.Rules, "\x00")] {
			seen[strings.Join(f.Rules, "\x00")] = true
			for _, code := range f.Rules {
				ties[code]++
			}
		}
	}
	rows := []RuleRow{}
	for _, r := range snap.Book.RulesInOrder() {
		doc := bookfile.EncodeRule(r)
		row := RuleRow{Rule: RuleDoc(doc), ETag: etag(doc), State: state(r, now), Ties: ties[r.Code]}
		row.Reach, _ = snap.Engine.Reach(r.Code)
		if next, ok := r.Window.Next(now); ok && r.Status != pricing.Off {
			row.Next = next.String()
		}
		rows = append(rows, row)
	}
	return rows
}

// state is where a rule stands at a moment.
func state(r *pricing.Rule, now pricing.Moment) string {
	switch {
	case r.Status != pricing.On:
		return string(r.Status)
	case r.Window.Open(now):
		return "on"
	case r.Window.To != nil && now >= *r.Window.To:
		return "over"
	case r.Window.From != nil && now < *r.Window.From:
		return "opens"
	}
	return "closed"
}

// saveRule saves a new rule (code "") or another state of one.
func (s *Server) saveRule(ctx context.Context, code, ifMatch string, doc RuleDoc) (Saved, error) {
	snap := s.live.Current()
	next, err := bookfile.DecodeRule(doc, snap.Book)
	if err != nil {
		return Saved{}, err
	}
	before := snap.Rule(next.Code)
	if code == "" {
		if before != nil {
			return Saved{}, invalid("code", fmt.Sprintf("There is a rule with the code %q already.", next.Code))
		}
		out, err := s.commit(ctx, fmt.Sprintf("Made the rule “%s”", title(&next)), []store.Change{{Kind: store.Rules, Code: next.Code, After: bookfile.EncodeRule(&next)}})
		return unwrap(out, err)
	}
	if next.Code != code {
		return Saved{}, invalid("code", "A rule keeps its code; copy it to make one with another.")
	}
	if before == nil {
		return Saved{}, &store.Conflict{Kind: store.Rules, Code: code}
	}
	now := bookfile.EncodeRule(before)
	if ifMatch == "" {
		return Saved{}, huma.NewError(http.StatusPreconditionRequired, "Say with If-Match which state of the rule this is based on.")
	}
	if ifMatch != etag(now) {
		return Saved{}, &store.Conflict{Kind: store.Rules, Code: code, Now: now}
	}
	out, err := s.commit(ctx, fmt.Sprintf("Changed the rule “%s”", title(&next)), []store.Change{ruleChange(before, &next)})
	return unwrap(out, err)
}

func unwrap[T any](out *body[T], err error) (T, error) {
	if err != nil {
		var none T
		return none, err
	}
	return out.Body, nil
}

// reorder gives the rules of a layer the ranks of a new order. Rules that shared a rank and still stand together go on
// sharing it, unless one of them was moved: then the order decides.
func (s *Server) reorder(ctx context.Context, layerName, moved string, codes []string) (*body[Saved], error) {
	snap := s.live.Current()
	layer, _ := pricing.ParseLayer(layerName)
	byCode := map[string]*pricing.Rule{}
	for i := range snap.Book.Rules {
		if r := &snap.Book.Rules[i]; r.Layer == layer {
			byCode[r.Code] = r
		}
	}
	if len(codes) != len(byCode) {
		return nil, huma.Error409Conflict("The rules of this layer have changed in the meantime. Look at them again.")
	}
	var changes []store.Change
	rank := 0
	for i, code := range codes {
		r := byCode[code]
		if r == nil || slices.Contains(codes[:i], code) {
			return nil, huma.Error409Conflict("The rules of this layer have changed in the meantime. Look at them again.")
		}
		if i == 0 || byCode[codes[i-1]].Rank != r.Rank || codes[i-1] == moved || code == moved {
			rank++
		}
		if r.Rank != rank {
			next := *r
			next.Rank = rank
			changes = append(changes, ruleChange(r, &next))
		}
	}
	if len(changes) == 0 {
		return &body[Saved]{Saved{Version: snap.Version}}, nil
	}
	summary := "Ranked the rules of the " + layerName + " layer anew"
	if r := byCode[moved]; r != nil {
		summary = fmt.Sprintf("Moved “%s” in the %s layer", title(r), layerName)
	}
	return s.commit(ctx, summary, changes)
}

// SKUList is a pasted list, read.
type SKUList struct {
	Known   []string `json:"known" doc:"as the book writes them, each once"`
	Unknown []string `json:"unknown"`
	Twice   int      `json:"twice" doc:"how many stood in the list more than once"`
}

// readSKUs splits a pasted list at white space, commas, semicolons, bars and quotes; a SKU is found in any case.
func (s *Server) readSKUs(text string) SKUList {
	snap := s.live.Current()
	folded := map[string]string{}
	for i := range snap.Book.Products {
		folded[strings.ToLower(snap.Book.Products[i].SKU)] = snap.Book.Products[i].SKU
	}
	out := SKUList{Known: []string{}, Unknown: []string{}}
	seen := map[string]bool{}
	take := func(word string) bool {
		sku, known := folded[strings.ToLower(word)]
		if !known {
			return false
		}
		if seen[sku] {
			out.Twice++
		} else {
			seen[sku] = true
			out.Known = append(out.Known, sku)
		}
		return true
	}
	for _, line := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune("\r\n\t,;|\"'", r) }) {
		line = strings.TrimSpace(line)
		if line == "" || take(line) { // a SKU may hold spaces
			continue
		}
		for _, word := range strings.Fields(line) {
			if !take(word) && !seen["?"+word] {
				seen["?"+word] = true
				out.Unknown = append(out.Unknown, word)
			}
		}
	}
	return out
}

// Facets are the values that selections can name.
type Facets struct {
	Categories []string `json:"categories" doc:"paths, those in between too"`
	Brands     []string `json:"brands"`
	Tags       []string `json:"tags"`
	Suppliers  []string `json:"suppliers"`
	Types      []string `json:"types"`
	TaxClasses []string `json:"taxClasses"`
	Styles     []string `json:"styles" doc:"at most 2000"`
	Attrs      []string `json:"attrs" doc:"names of attributes"`
	Levels     []string `json:"levels" doc:"names of price levels"`
	Costs      []string `json:"costs" doc:"names of further costs"`
	Currencies []string `json:"currencies" doc:"of the channels"`
}

const stylesShown = 2000

func (s *Server) facets() Facets {
	sets := map[string]map[string]bool{}
	add := func(kind, value string) {
		if value == "" {
			return
		}
		if sets[kind] == nil {
			sets[kind] = map[string]bool{}
		}
		sets[kind][value] = true
	}
	book := s.live.Current().Book
	for i := range book.Products {
		p := &book.Products[i]
		for path := p.Category; path != "" && !sets["category"][path]; path = path[:max(strings.LastIndex(path, "/"), 0)] {
			add("category", path)
		}
		add("brand", p.Brand)
		add("supplier", p.Supplier)
		add("type", p.Type)
		if len(sets["style"]) < stylesShown {
			add("style", p.Style)
		}
		for _, t := range p.Tags {
			add("tag", t)
		}
		for name := range p.Attrs {
			add("attr", name)
		}
		for name := range p.Levels {
			add("level", name)
		}
		for name := range p.Costs {
			add("cost", name)
		}
	}
	for class := range book.Settings.TaxRates {
		add("taxClass", class)
	}
	add("currency", book.Settings.Currency)
	for i := range book.Channels {
		add("currency", book.Channels[i].Currency)
	}
	return Facets{sorted(sets["category"]), sorted(sets["brand"]), sorted(sets["tag"]), sorted(sets["supplier"]), sorted(sets["type"]), sorted(sets["taxClass"]),
		sorted(sets["style"]), sorted(sets["attr"]), sorted(sets["level"]), sorted(sets["cost"]), sorted(sets["currency"])}
}

func sorted(set map[string]bool) []string {
	list := make([]string, 0, len(set))
	for v := range set {
		list = append(list, v)
	}
	slices.Sort(list)
	return list
}

// docKeys are the keys of a document.
func docKeys(doc []byte) (map[string]json.RawMessage, error) {
	var m map[string]json.RawMessage
	err := json.Unmarshal(doc, &m)
	return m, err
}
