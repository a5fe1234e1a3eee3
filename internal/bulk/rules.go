package bulk

import (
	"errors"
	"fmt"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Rules is one thing that is done to several rules, saved together.
type Rules struct {
	Codes    []string `json:"codes" minItems:"1"`
	Do       string   `json:"do" enum:"on,off,draft,delete,start,shift,campaign"`
	Days     int      `json:"days,omitempty" doc:"shift: by so many days, earlier where below 0"`
	Campaign string   `json:"campaign,omitempty" doc:"campaign: its code; empty: none"`
}

// WithSKUs is a selection that holds some products besides.
func WithSKUs(w pricing.Where, skus []string) pricing.Where {
	more := pricing.Where{Field: pricing.FieldSKU, Values: skus}
	switch w.Field {
	case pricing.FieldSKU:
		values := slices.Clone(w.Values)
		for _, sku := range skus {
			if !slices.Contains(values, sku) {
				values = append(values, sku)
			}
		}
		return pricing.Where{Field: pricing.FieldSKU, Values: values}
	case pricing.FieldAny:
		parts := slices.Clone(w.Parts)
		if n := len(parts); n > 0 && parts[n-1].Field == pricing.FieldSKU {
			parts[n-1] = WithSKUs(parts[n-1], skus)
			return pricing.Where{Field: pricing.FieldAny, Parts: parts}
		}
		return pricing.Where{Field: pricing.FieldAny, Parts: append(parts, more)}
	}
	return pricing.Where{Field: pricing.FieldAny, Parts: []pricing.Where{w, more}}
}

// Summary is what was done, for the log.
func (f *Rules) Summary(rules int) string {
	verb := map[string]string{"on": "Switched on", "off": "Switched off", "draft": "Made drafts of", "delete": "Deleted",
		"start": "Started now",
		"shift": fmt.Sprintf("Moved by %+d days", f.Days), "campaign": "Set the campaign of"}[f.Do]
	return verb + " " + Counted(rules, "rule")
}

// Counted is "1 rule" or "2 rules".
func Counted(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// Changes do it. now is the present on the book's wall clock.
func (f *Rules) Changes(snap *book.Snapshot, now pricing.Moment) ([]book.Change, error) {
	var changes []book.Change
	for _, code := range f.Codes {
		r := snap.Rule(code)
		if r == nil {
			return nil, book.Invalid("codes", fmt.Sprintf("There is no rule %s.", code))
		}
		next := *r
		switch f.Do {
		case "on", "off", "draft":
			next.Status = pricing.Status(f.Do)
		case "delete":
			changes = append(changes, book.OfRule(r, nil))
			continue
		case "start":
			w := pricing.Window{}
			if r.Window != nil {
				w = *r.Window
			}
			w.From = &now
			if w.To != nil && *w.To <= now {
				w.To = nil
			}
			next.Window, next.Status = &w, pricing.On
		case "shift":
			if r.Window == nil {
				continue
			}
			w := *r.Window
			for _, end := range []**pricing.Moment{&w.From, &w.To} {
				if *end != nil {
					moved := **end + pricing.Moment(f.Days)*pricing.Day
					*end = &moved
				}
			}
			next.Window = &w
		case "campaign":
			next.Campaign = f.Campaign
		}
		change := book.OfRule(r, &next)
		if _, err := bookfile.DecodeRule(change.After, snap.Book); err != nil {
			return nil, err
		}
		if change.Changes() {
			changes = append(changes, change)
		}
	}
	return changes, nil
}

// ErrReordered says that the rules of a layer are no longer those that were put into an order.
var ErrReordered = errors.New("the rules of this layer have changed in the meantime")

// Reorder gives the rules of a layer the ranks of a new order. Rules that shared a rank and still stand together go on
// sharing it, unless one of them was moved: then the order decides.
func Reorder(b *pricing.Book, layer pricing.Layer, moved string, codes []string) ([]book.Change, error) {
	byCode := map[string]*pricing.Rule{}
	for i := range b.Rules {
		if r := &b.Rules[i]; r.Layer == layer {
			byCode[r.Code] = r
		}
	}
	if len(codes) != len(byCode) {
		return nil, ErrReordered
	}
	var changes []book.Change
	rank := 0
	for i, code := range codes {
		r := byCode[code]
		if r == nil || slices.Contains(codes[:i], code) {
			return nil, ErrReordered
		}
		if i == 0 || byCode[codes[i-1]].Rank != r.Rank || codes[i-1] == moved || code == moved {
			rank++
		}
		if r.Rank != rank {
			next := *r
			next.Rank = rank
			changes = append(changes, book.OfRule(r, &next))
		}
	}
	return changes, nil
}
