package server

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/intake"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// ProductPage is a product as it is kept, with what stands around it.
type ProductPage struct {
	Doc        ItemDoc        `json:"doc" doc:"see docs/book.md"`
	ETag       string         `json:"etag"`
	Currency   string         `json:"currency" doc:"of the price"`
	Price      *string        `json:"price"`
	PerContent *string        `json:"perContent" doc:"the price of one kilogram, litre or whatever its content is of"`
	Of         string         `json:"of,omitempty"`
	GTIN       string         `json:"gtinProblem,omitempty" doc:"what is wrong with its GTIN"`
	Variants   []Variant      `json:"variants" doc:"the others of its style"`
	History    []PieceHistory `json:"history" doc:"newest first"`
}

// Variant is another product of the same style.
type Variant struct {
	SKU   string  `json:"sku"`
	Name  string  `json:"name"`
	List  *string `json:"list"`
	Price *string `json:"price"`
}

// PieceHistory is one saved change of a piece.
type PieceHistory struct {
	Entry   int64         `json:"entry"`
	At      string        `json:"at"`
	Who     string        `json:"who"`
	Summary string        `json:"summary"`
	What    string        `json:"what" enum:"new,changed,gone"`
	Fields  []FieldChange `json:"fields"`
}

// FieldChange is one key of a document that changed; the values are JSON, texts without their quotes.
type FieldChange struct {
	Field string `json:"field"`
	Was   string `json:"was"`
	Is    string `json:"is"`
}

// ProductEdit changes an amount of a product in place.
type ProductEdit struct {
	List *string `json:"list,omitempty" doc:"list price; an empty text takes it away"`
	Cost *string `json:"cost,omitempty" doc:"cost without tax; an empty text takes it away"`
	Was  *string `json:"was,omitempty" doc:"the value that was seen; if it is another by now, nothing is saved"`
}

func (s *Server) registerProducts(api huma.API) {
	huma.Register(api, huma.Operation{Method: http.MethodPatch, Path: "/api/products/{sku}"}, func(ctx context.Context, in *struct {
		SKU  string `path:"sku"`
		Body ProductEdit
	}) (*body[Saved], error) {
		return answer(s.editProduct(ctx, s.addressed(in.SKU), in.Body.List, in.Body.Cost, in.Body.Was))
	})
	huma.Get(api, "/api/products/{sku}", func(ctx context.Context, in *struct {
		ViewpointQuery
		SKU string `path:"sku"`
	}) (*body[ProductPage], error) {
		return answer(s.productPage(ctx, &in.ViewpointQuery, s.addressed(in.SKU)))
	})
}

// addressed is the SKU that an address names. A SKU that cannot stand in one by itself, such as "..", stands behind a "=".
func (s *Server) addressed(part string) string {
	if sku, marked := strings.CutPrefix(part, "="); marked && s.live.Current().Product(part) == nil {
		return sku
	}
	return part
}

func (s *Server) editProduct(ctx context.Context, sku string, list, cost, was *string) (Saved, error) {
	snap := s.live.Current()
	before := snap.Product(sku)
	if before == nil {
		return Saved{}, store.ErrNotFound
	}
	next := *before
	summary := ""
	for _, edit := range []struct {
		field, name string
		text        *string
		to          **money.Rat
	}{{"list", "list price", list, &next.List}, {"cost", "cost", cost, &next.Cost}} {
		if edit.text == nil {
			continue
		}
		old := ""
		if *edit.to != nil {
			old = bookfile.Amount(**edit.to)
		}
		if was != nil && *was != old {
			return Saved{}, &store.Conflict{Kind: store.Products, Code: sku, Now: bookfile.EncodeProduct(before)}
		}
		if *edit.text == "" {
			*edit.to = nil
		} else {
			amount, err := money.Parse(*edit.text)
			if err != nil {
				return Saved{}, invalid(edit.field, "Write an amount such as 19.99.")
			}
			if amount.Sign() < 0 {
				return Saved{}, invalid(edit.field, "An amount must not be negative.")
			}
			if !amount.Less(mostAmount) {
				return Saved{}, invalid(edit.field, tooManyDigits)
			}
			*edit.to = &amount
		}
		is := "none"
		if *edit.to != nil {
			is = bookfile.Amount(**edit.to)
		}
		if old == "" {
			old = "none"
		}
		summary = fmt.Sprintf("Changed the %s of %s from %s to %s", edit.name, sku, old, is)
	}
	if summary == "" {
		return Saved{}, invalid("list", "Name a list price or a cost.")
	}
	out, err := s.commit(ctx, summary, []store.Change{{Kind: store.Products, Code: sku, Before: bookfile.EncodeProduct(before), After: bookfile.EncodeProduct(&next)}})
	return unwrap(out, err)
}

func (s *Server) productPage(ctx context.Context, in *ViewpointQuery, sku string) (ProductPage, error) {
	snap := s.live.Current()
	out := ProductPage{Variants: []Variant{}, History: []PieceHistory{}}
	number, exists := snap.Engine.ProductNumber(sku)
	if !exists {
		return out, store.ErrNotFound
	}
	p := snap.Engine.Products()[number]
	vp, err := in.viewpoint(s, snap)
	if err != nil {
		return out, err
	}
	doc := bookfile.EncodeProduct(p)
	out.Doc, out.ETag = ItemDoc(doc), etag(doc)
	price := func(sku string) (*string, *pricing.Answer, error) {
		a, err := snap.Engine.Price(pricing.Question{Viewpoint: vp, SKU: sku})
		if err != nil || a.Unit == nil {
			return nil, a, err
		}
		text := a.Unit.Fixed(a.Digits)
		return &text, a, nil
	}
	var a *pricing.Answer
	if out.Price, a, err = price(sku); err != nil {
		return out, err
	}
	out.Currency = a.Currency
	if p.Content != nil && a.Unit != nil && p.Content.Amount.Sign() > 0 {
		text := a.Unit.Div(p.Content.Amount).Fixed(a.Digits)
		out.PerContent, out.Of = &text, p.Content.Of
	}
	if p.GTIN != "" {
		if err := intake.CheckGTIN(p.GTIN); err != nil {
			out.GTIN = err.Error()
		}
	}
	if p.Style != "" {
		snap.Engine.Match(&pricing.Where{Field: pricing.FieldStyle, Values: []string{p.Style}}).Each(func(n int32) bool {
			v := snap.Engine.Products()[n]
			if n == number {
				return true
			}
			one := Variant{SKU: v.SKU, Name: v.Name}
			if v.List != nil {
				text := bookfile.Amount(*v.List)
				one.List = &text
			}
			one.Price, _, err = price(v.SKU)
			out.Variants = append(out.Variants, one)
			return err == nil && len(out.Variants) < 200
		})
		if err != nil {
			return out, err
		}
	}
	out.History, err = s.history(ctx, store.Products, sku)
	return out, err
}

// history is what was changed of a piece, newest first.
func (s *Server) history(ctx context.Context, kind, code string) ([]PieceHistory, error) {
	out := []PieceHistory{}
	entries, err := s.store.History(ctx, kind, code, 30)
	for _, e := range entries {
		for _, c := range e.Changes {
			one := PieceHistory{Entry: e.ID, At: s.wall(e.At), Who: e.Who, Summary: e.Summary, What: "changed", Fields: fieldChanges(c.Before, c.After)}
			switch {
			case c.Before == nil:
				one.What, one.Fields = "new", []FieldChange{}
			case c.After == nil:
				one.What, one.Fields = "gone", []FieldChange{}
			}
			out = append(out, one)
		}
	}
	return out, err
}

// fieldChanges are the keys in which two documents differ.
func fieldChanges(before, after []byte) []FieldChange {
	a, _ := docKeys(before)
	b, _ := docKeys(after)
	keys := map[string]json.RawMessage{}
	maps.Copy(keys, a)
	maps.Copy(keys, b)
	out := []FieldChange{}
	text := func(raw json.RawMessage) string {
		var t string
		if json.Unmarshal(raw, &t) == nil {
			return t
		}
		return string(raw)
	}
	for _, key := range slices.Sorted(maps.Keys(keys)) {
		if string(a[key]) != string(b[key]) {
			out = append(out, FieldChange{key, text(a[key]), text(b[key])})
		}
	}
	return out
}
