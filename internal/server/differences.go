package server

import (
	"context"
	"maps"
	"slices"
	"strings"

	"dogbane/internal/book"
	"dogbane/internal/publish"
	"dogbane/internal/store"
)

// ChannelDifferences are what publishing to a channel now would change, a page of them.
type ChannelDifferences struct {
	Version   int64        `json:"version"`
	Channel   string       `json:"channel"`
	Name      string       `json:"name"`
	Connected bool         `json:"connected"`
	Page      string       `json:"page,omitempty" doc:"where people see its prices"`
	Currency  string       `json:"currency"`
	At        string       `json:"at"`
	Total     int          `json:"total" doc:"rows on all pages"`
	Blocked   int          `json:"blocked" doc:"of them"`
	Held      int          `json:"held" doc:"of them"`
	Kinds     []KindCount  `json:"kinds"`
	Same      int          `json:"same"`
	Unpriced  int          `json:"unpriced" doc:"products without a price there"`
	Rules     int          `json:"rules" doc:"rules that the channel would be told, or would forget"`
	Of        Passing      `json:"of" doc:"what passes the filter"`
	Made      []Facet      `json:"made" doc:"rules that made prices among all rows"`
	Within    []Facet      `json:"within" doc:"categories of all rows, those that they lie in included"`
	Rows      []Difference `json:"rows"`
	Next      string       `json:"next,omitempty" doc:"for after: the next page's"`
}

// Difference is one product whose line in the channel is not what the book says.
type Difference struct {
	SKU       string   `json:"sku"`
	Name      string   `json:"name"`
	Kind      string   `json:"kind" enum:"new,up,down,reference,details,again,gone"`
	Was       *string  `json:"was"`
	Price     *string  `json:"price"`
	Reference *string  `json:"reference" doc:"the price that it is shown as reduced from"`
	Change    *string  `json:"change"`
	Cost      *string  `json:"cost"`
	Amount    *string  `json:"marginAmount" doc:"net less fee and cost"`
	Blocked   []string `json:"blocked" doc:"kinds of trouble: it needs a reason, or is left out"`
	Held      bool     `json:"held" doc:"taken back: nothing sends it until it is released"`
	Rules     []string `json:"rules"`
	Category  string   `json:"category"`
}

// DifferenceFilter leaves some of a channel's differences; what is empty narrows nothing.
type DifferenceFilter struct {
	Kind     string `query:"kind" json:"kind,omitempty" doc:"new, up, down, reference, details, again or gone; or blocked, or held"`
	Rule     string `query:"rule" json:"rule,omitempty" doc:"that made the price"`
	Category string `query:"category" json:"category,omitempty" doc:"with those in it"`
	Text     string `query:"q" json:"q,omitempty" doc:"in names and SKUs"`
}

// Passing is what passes a filter.
type Passing struct {
	Total   int               `json:"total"`
	Blocked int               `json:"blocked" doc:"of them, those that are not held back"`
	Held    int               `json:"held"`
	Worth   publish.WorthText `json:"worth"`
}

// Facet is a value and how many rows have it.
type Facet struct {
	Value string `json:"value"`
	Count int    `json:"count"`
}

// DifferencesQuery asks for a page of a channel's differences.
type DifferencesQuery struct {
	ChannelQuery
	DifferenceFilter
	After string `query:"after" doc:"rows behind this SKU"`
	Start int    `query:"start" minimum:"0" doc:"rows from this place on"`
	Limit int    `query:"limit" minimum:"0" maximum:"10000"`
}

// passes tells which differences a filter leaves; nil: all.
func (f *DifferenceFilter) passes(snap *book.Snapshot) func(d *publish.Difference) bool {
	if f == nil || *f == (DifferenceFilter{}) {
		return nil
	}
	words := strings.Fields(strings.ToLower(f.Text))
	return func(d *publish.Difference) bool {
		switch {
		case f.Kind == "blocked" && (!d.Blocked() || d.Held), f.Kind == "held" && !d.Held,
			f.Kind != "" && f.Kind != "blocked" && f.Kind != "held" && f.Kind != string(d.Kind),
			f.Rule != "" && !slices.Contains(d.Rules, f.Rule):
			return false
		}
		if c := categoryOf(snap, d); f.Category != "" && c != f.Category && !strings.HasPrefix(c, f.Category+"/") {
			return false
		}
		text := strings.ToLower(d.Name + " " + d.SKU)
		return !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) })
	}
}

// categoryOf is the category of a difference's product; "" where that is no longer in the book.
func categoryOf(snap *book.Snapshot, d *publish.Difference) string {
	if n, exists := snap.Engine.ProductNumber(d.SKU); exists {
		return snap.Engine.Products()[n].Category
	}
	return ""
}

func (s *Server) channelDifferences(ctx context.Context, in *DifferencesQuery) (ChannelDifferences, error) {
	snap := s.newest(ctx)
	channel := snap.Channel(in.Channel)
	if channel == nil {
		return ChannelDifferences{}, store.ErrNotFound
	}
	d, err := s.Desk.Differences(ctx, snap, in.Channel, s.moment(snap))
	if err != nil {
		return ChannelDifferences{}, err
	}
	links, err := s.Store.Links(ctx)
	if err != nil {
		return ChannelDifferences{}, err
	}
	link, connected := links[in.Channel]
	out := ChannelDifferences{Version: snap.Version, Channel: in.Channel, Name: channel.Name, Connected: connected,
		Page: link.Page(), Currency: d.Currency, At: d.At.String(), Total: len(d.Rows), Blocked: d.Blocked(), Same: d.Same,
		Unpriced: d.Unpriced, Rules: len(d.Rules.Rules) + len(d.Rules.Withdraw), Rows: []Difference{}, Kinds: []KindCount{}}
	limit := in.Limit
	if limit == 0 {
		limit = 1000
	}
	kinds, made, within := map[publish.Kind]int{}, map[string]int{}, map[string]int{}
	passes, place, worth := in.passes(snap), 0, publish.Worth{}
	for i := range d.Rows {
		r := &d.Rows[i]
		kinds[r.Kind]++
		if r.Held {
			out.Held++
		}
		for _, code := range r.Rules {
			made[code]++
		}
		for c := categoryOf(snap, r); c != ""; {
			within[c]++
			end := strings.LastIndexByte(c, '/')
			c = c[:max(end, 0)]
		}
		if passes != nil && !passes(r) {
			continue
		}
		out.Of.Total++
		worth.Add(r)
		if r.Held {
			out.Of.Held++
		} else if r.Blocked() {
			out.Of.Blocked++
		}
		place++
		switch {
		case r.SKU <= in.After || place <= in.Start:
		case len(out.Rows) < limit:
			out.Rows = append(out.Rows, differenceRow(snap, d, r))
		case out.Next == "":
			out.Next = out.Rows[limit-1].SKU
		}
	}
	out.Of.Worth, out.Made, out.Within = worth.Text(d.Digits), facets(made), facets(within)
	for _, k := range []publish.Kind{publish.Down, publish.Up, publish.New, publish.Gone, publish.Reference,
		publish.Details, publish.Again} {
		if kinds[k] > 0 {
			out.Kinds = append(out.Kinds, KindCount{string(k), kinds[k]})
		}
	}
	return out, nil
}

// facets are values with their counts, by value.
func facets(counts map[string]int) []Facet {
	list := []Facet{}
	for _, value := range slices.Sorted(maps.Keys(counts)) {
		list = append(list, Facet{value, counts[value]})
	}
	return list
}

func differenceRow(snap *book.Snapshot, d *publish.Differences, r *publish.Difference) Difference {
	row := Difference{SKU: r.SKU, Name: r.Name, Kind: string(r.Kind), Was: fixed(r.Was, d.Digits),
		Price: fixed(r.Price, d.Digits), Reference: fixed(r.Reference, d.Digits), Cost: fixed(r.Cost, d.Digits),
		Amount: fixed(r.Margin, d.Digits), Held: r.Held, Blocked: []string{}, Rules: append([]string{}, r.Rules...)}
	for _, k := range r.Stops {
		row.Blocked = append(row.Blocked, string(k))
	}
	if n, exists := snap.Engine.ProductNumber(r.SKU); exists {
		row.Category = snap.Engine.Products()[n].Category
	}
	if r.Was != nil && r.Price != nil {
		change := r.Price.Sub(*r.Was)
		row.Change = fixed(&change, d.Digits)
	}
	return row
}
