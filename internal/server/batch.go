package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// BatchForm is one thing that is done to several rules, saved together.
type BatchForm struct {
	Codes    []string `json:"codes" minItems:"1"`
	Do       string   `json:"do" enum:"on,off,draft,delete,start,shift,campaign"`
	Days     int      `json:"days,omitempty" doc:"shift: by so many days, earlier where below 0"`
	Campaign string   `json:"campaign,omitempty" doc:"campaign: its code; empty: none"`
}

// SKURule asks to put products into a rule's selection.
type SKURule struct {
	SKUs []string `json:"skus" minItems:"1"`
}

func (s *Server) registerBatch(api huma.API) {
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/rules-batch"}, func(ctx context.Context, in *struct{ Body BatchForm }) (*body[Saved], error) {
		changes, err := s.batch(&in.Body)
		if err != nil {
			return nil, asProblem(err)
		}
		if len(changes) == 0 {
			return nil, huma.Error409Conflict("This changes nothing.")
		}
		verb := map[string]string{"on": "Switched on", "off": "Switched off", "draft": "Made drafts of", "delete": "Deleted", "start": "Started now", "shift": fmt.Sprintf("Moved by %+d days", in.Body.Days), "campaign": "Set the campaign of"}[in.Body.Do]
		return s.commit(ctx, fmt.Sprintf("%s %d rules", verb, len(changes)), changes)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/rules/{code}/add-products"}, func(ctx context.Context, in *struct {
		Code string `path:"code"`
		Body SKURule
	}) (*body[Saved], error) {
		snap := s.live.Current()
		r := snap.Rule(in.Code)
		if r == nil {
			return nil, asProblem(store.ErrNotFound)
		}
		next := *r
		next.Where = withSKUs(r.Where, in.Body.SKUs)
		return s.commit(ctx, fmt.Sprintf("Added %d products to “%s”", len(in.Body.SKUs), title(r)), []store.Change{ruleChange(r, &next)})
	})
}

// withSKUs is a selection that holds some products besides.
func withSKUs(w pricing.Where, skus []string) pricing.Where {
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
			parts[n-1] = withSKUs(parts[n-1], skus)
			return pricing.Where{Field: pricing.FieldAny, Parts: parts}
		}
		return pricing.Where{Field: pricing.FieldAny, Parts: append(parts, more)}
	}
	return pricing.Where{Field: pricing.FieldAny, Parts: []pricing.Where{w, more}}
}

func (s *Server) batch(form *BatchForm) ([]store.Change, error) {
	snap := s.live.Current()
	now := s.moment(snap)
	var changes []store.Change
	for _, code := range form.Codes {
		r := snap.Rule(code)
		if r == nil {
			return nil, invalid("codes", fmt.Sprintf("There is no rule %s.", code))
		}
		next := *r
		switch form.Do {
		case "on", "off", "draft":
			next.Status = pricing.Status(form.Do)
		case "delete":
			changes = append(changes, store.Change{Kind: store.Rules, Code: code, Before: bookfile.EncodeRule(r)})
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
					moved := **end + pricing.Moment(form.Days)*pricing.Day
					*end = &moved
				}
			}
			next.Window = &w
		case "campaign":
			next.Campaign = form.Campaign
		}
		doc := bookfile.EncodeRule(&next)
		if _, err := bookfile.DecodeRule(doc, snap.Book); err != nil {
			return nil, err
		}
		if before := bookfile.EncodeRule(r); string(before) != string(doc) {
			changes = append(changes, store.Change{Kind: store.Rules, Code: code, Before: before, After: json.RawMessage(doc)})
		}
	}
	return changes, nil
}
