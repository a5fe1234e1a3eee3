package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/intake"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// ProductPage is a product as it is kept, with what stands around it.
type ProductPage struct {
	Doc        ProductDoc     `json:"doc" doc:"see docs/book.md"`
	ETag       string         `json:"etag"`
	Currency   string         `json:"currency" doc:"of the price"`
	Price      *string        `json:"price"`
	PerContent *string        `json:"perContent" doc:"the price of one kilogram, litre or whatever its content is of"`
	Of         string         `json:"of,omitempty"`
	Tags       LiveTags       `json:"liveTags"`
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
	Entry   int64              `json:"entry"`
	At      string             `json:"at"`
	Who     string             `json:"who"`
	Summary string             `json:"summary"`
	What    string             `json:"what" enum:"new,changed,gone"`
	Fields  []book.FieldChange `json:"fields"`
}

// ProductEdit changes an amount of a product in place.
type ProductEdit struct {
	List *string `json:"list,omitempty" doc:"list price; an empty text takes it away"`
	Cost *string `json:"cost,omitempty" doc:"cost without tax; an empty text takes it away"`
	Was  *string `json:"was,omitempty" doc:"the value that was seen; if it is another by now, nothing is saved"`
	At   string  `json:"at,omitempty" doc:"the moment at which the value holds that is changed, the product's own or a later one; absent: now"`
}

// ProductQuery names a product.
type ProductQuery struct {
	SKU string `path:"sku"`
}

func (s *Server) registerProducts(api huma.API) {
	answers(api, store.Manager, http.MethodPatch, "/api/products/{sku}", func(ctx context.Context, in *struct {
		Seen
		ProductQuery
		Body ProductEdit
	}) (Saved, error) {
		return s.editProduct(ctx, in.Seen, s.addressed(in.SKU), &in.Body)
	})
	get(api, "/api/products/{sku}", func(ctx context.Context, in *struct {
		ViewpointQuery
		ProductQuery
	}) (ProductPage, error) {
		return s.productPage(ctx, &in.ViewpointQuery, s.addressed(in.SKU))
	})
}

// addressed is the SKU that an address names. A SKU that cannot stand in one by itself, such as "..", stands behind a
// "=".
func (s *Server) addressed(part string) string {
	if sku, marked := strings.CutPrefix(part, "="); marked && s.Live.Current().Product(part) == nil {
		return sku
	}
	return part
}

func (s *Server) editProduct(ctx context.Context, seen Seen, sku string, edit *ProductEdit) (Saved, error) {
	before := s.Live.Current().Product(sku)
	if before == nil {
		return Saved{}, store.ErrNotFound
	}
	at := s.moment(s.Live.Current())
	if edit.At != "" {
		var err error
		if at, err = pricing.ParseMoment(edit.At); err != nil {
			return Saved{}, invalid("at", err.Error())
		}
	}
	next, summary := before, ""
	for _, one := range []struct {
		field pricing.Figure
		name  string
		text  *string
	}{{pricing.ListFigure, "list price", edit.List}, {pricing.CostFigure, "cost", edit.Cost}} {
		if one.text == nil {
			continue
		}
		old, is := amountText(*next.At(at).Own(one.field)), ""
		if edit.Was != nil && *edit.Was != old {
			return Saved{}, &book.Conflict{Kind: book.Products, Code: sku, Now: bookfile.EncodeProduct(before)}
		}
		var to *money.Rat
		if *one.text != "" {
			amount, err := book.ReadAmount(string(one.field), *one.text, false)
			if err != nil {
				return Saved{}, err
			}
			to, is = &amount, bookfile.Amount(amount)
		}
		next = next.Put(one.field, at, to)
		summary = fmt.Sprintf("Changed the %s of %s from %s to %s", one.name, sku, cmp.Or(old, "none"), cmp.Or(is, "none"))
	}
	if summary == "" {
		return Saved{}, invalid("list", "Name a list price or a cost.")
	}
	return s.commit(ctx, seen, summary, []book.Change{book.OfProduct(before, next)})
}

// amountText is an amount as the book writes it; "" where there is none.
func amountText(a *money.Rat) string {
	if a == nil {
		return ""
	}
	return bookfile.Amount(*a)
}

func (s *Server) productPage(ctx context.Context, in *ViewpointQuery, sku string) (ProductPage, error) {
	snap := s.Live.Current()
	out := ProductPage{Variants: []Variant{}, History: []PieceHistory{}}
	number, exists := snap.Engine.ProductNumber(sku)
	if !exists {
		return out, store.ErrNotFound
	}
	p := snap.Engine.Products()[number]
	vp, err := in.read(ctx, s, snap)
	if err != nil {
		return out, err
	}
	doc := bookfile.EncodeProduct(p)
	out.Doc, out.ETag = ProductDoc(doc), etag(doc)
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
	var applied []*pricing.Rule
	for _, code := range a.Rules {
		applied = append(applied, snap.Rule(code))
	}
	out.Tags = liveTags(applied)
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
			v := snap.Engine.At(vp.At).Products()[n]
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
	out.History, err = s.history(ctx, book.Products, sku)
	return out, err
}

// history is what was changed of a piece, newest first.
func (s *Server) history(ctx context.Context, kind, code string) ([]PieceHistory, error) {
	out := []PieceHistory{}
	entries, err := s.Store.History(ctx, kind, code, 30)
	for _, e := range entries {
		for _, c := range e.Changes {
			one := PieceHistory{Entry: e.ID, At: s.wall(e.At), Who: e.Who, Summary: e.Summary, What: "changed",
				Fields: book.FieldChanges(c.Before, c.After)}
			switch {
			case c.Before == nil:
				one.What, one.Fields = "new", []book.FieldChange{}
			case c.After == nil:
				one.What, one.Fields = "gone", []book.FieldChange{}
			}
			out = append(out, one)
		}
	}
	return out, err
}
