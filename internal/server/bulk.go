package server

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// BulkForm says how list prices or costs of many products change.
type BulkForm struct {
	Field     string   `json:"field" enum:"list,cost"`
	How       string   `json:"how" enum:"percentOn,percentOff,amountOn,amountOff,set"`
	Value     string   `json:"value" doc:"percent or amount"`
	Step      string   `json:"step,omitempty" doc:"of an ending"`
	Direction string   `json:"direction,omitempty" enum:",nearest,up,down"`
	Shift     string   `json:"shift,omitempty"`
	SKUs      []string `json:"skus,omitempty" doc:"only these; absent: all that the board's filter leaves"`
}

// BulkPreview is what a bulk change would do.
type BulkPreview struct {
	Reached int          `json:"reached"`
	Changed int          `json:"changed"`
	Missing int          `json:"missing" doc:"products without the amount, which stay as they are"`
	Sample  []BulkChange `json:"sample"`
	Moved   int          `json:"moved" doc:"prices that move, from the board's viewpoint"`
	Below   int          `json:"below" doc:"of those, below cost afterwards"`

	Checks []BrokenCheck `json:"checks" doc:"checks that hold now and would not"`
}

// BulkChange is one amount that changes.
type BulkChange struct {
	SKU    string `json:"sku"`
	Name   string `json:"name"`
	Before string `json:"before"`
	After  string `json:"after"`
}

func (s *Server) registerBulk(api huma.API) {
	type input struct {
		BoardFilter
		Body BulkForm
	}
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/bulk/preview"}, func(ctx context.Context, in *input) (*body[BulkPreview], error) {
		_, out, _, err := s.bulk(ctx, &in.BoardFilter, &in.Body, true)
		return answer(out, err)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/bulk"}, func(ctx context.Context, in *input) (*body[Saved], error) {
		changes, out, summary, err := s.bulk(ctx, &in.BoardFilter, &in.Body, false)
		if err != nil {
			return nil, asProblem(err)
		}
		if len(changes) == 0 {
			return nil, huma.Error409Conflict("This changes nothing.")
		}
		return s.commit(ctx, fmt.Sprintf("%s on %d products", summary, out.Changed), changes)
	})
}

// mostAmount is above every amount that a book may hold.
var mostAmount = money.Int(1_000_000_000_000_000)

const tooManyDigits = "An amount has at most 15 digits before the point."

// amountIn reads an amount of a form.
func amountIn(field, text string, negative bool) (money.Rat, error) {
	a, err := money.Parse(text)
	if err != nil {
		return a, invalid(field, "Write a number such as 5 or 0.95, with a point.")
	}
	if a.Sign() < 0 && !negative {
		return a, invalid(field, "It must not be negative.")
	}
	if !a.Less(mostAmount) || !a.Neg().Less(mostAmount) {
		return a, invalid(field, tooManyDigits)
	}
	return a, nil
}

func (s *Server) bulk(ctx context.Context, filter *BoardFilter, form *BulkForm, measure bool) ([]store.Change, BulkPreview, string, error) {
	out := BulkPreview{Sample: []BulkChange{}, Checks: []BrokenCheck{}}
	value, err := amountIn("value", form.Value, false)
	if err != nil {
		return nil, out, "", err
	}
	if form.How == "percentOff" && money.Int(100).Less(value) {
		return nil, out, "", invalid("value", "A reduction is a percent from 0 to 100.")
	}
	var ending *pricing.Ending
	if form.Step != "" {
		ending = &pricing.Ending{Direction: pricing.Direction(form.Direction)}
		if ending.Step, err = amountIn("step", form.Step, false); err != nil {
			return nil, out, "", err
		}
		if ending.Step.Sign() == 0 {
			return nil, out, "", invalid("step", "The step must be above 0.")
		}
		if form.Shift != "" {
			if ending.Shift, err = amountIn("shift", form.Shift, true); err != nil {
				return nil, out, "", err
			}
		}
	}
	v, err := s.see(ctx, filter, "category", false)
	if err != nil {
		return nil, out, "", err
	}
	numbers, err := v.chosen(form.SKUs)
	if err != nil {
		return nil, out, "", err
	}
	digits, _ := money.Digits(v.snap.Book.Settings.Currency)
	products := v.snap.Engine.Products()
	var changes []store.Change
	next := *v.snap.Book
	replaced := map[string]pricing.Product{}
	for _, n := range numbers {
		p := products[n]
		out.Reached++
		now, changed := p.List, *p
		if form.Field == "cost" {
			now = p.Cost
		}
		if now == nil && form.How != "set" {
			out.Missing++
			continue
		}
		after := changedAmount(now, form.How, value)
		if ending != nil {
			after = ending.Apply(after)
		}
		after = money.Max(after, money.Int(0)).Round(digits, money.HalfUp)
		if now != nil && after.Equal(*now) {
			continue
		}
		if !after.Less(mostAmount) {
			return nil, out, "", invalid("value", fmt.Sprintf("%s would come to %s. %s", p.SKU, bookfile.Amount(after), tooManyDigits))
		}
		if form.Field == "cost" {
			changed.Cost = &after
		} else {
			changed.List = &after
		}
		out.Changed++
		before := ""
		if now != nil {
			before = bookfile.Amount(*now)
		}
		if len(out.Sample) < 8 {
			out.Sample = append(out.Sample, BulkChange{p.SKU, p.Name, before, bookfile.Amount(after)})
		}
		replaced[p.SKU] = changed
		changes = append(changes, store.Change{Kind: store.Products, Code: p.SKU, Before: bookfile.EncodeProduct(p), After: bookfile.EncodeProduct(&changed)})
	}
	if measure && len(changes) > 0 {
		next.Products = make([]pricing.Product, len(v.snap.Book.Products))
		copy(next.Products, v.snap.Book.Products)
		for i := range next.Products {
			if p, changed := replaced[next.Products[i].SKU]; changed {
				next.Products[i] = p
			}
		}
		engine := pricing.Compile(&next)
		if out.Moved, out.Below, err = moves(v.snap.Engine, engine, v.vp); err != nil {
			return nil, out, "", err
		}
		if out.Checks, err = s.broken(ctx, v.snap.Engine, engine); err != nil {
			return nil, out, "", err
		}
	}
	name := map[string]string{"list": "List price", "cost": "Cost"}[form.Field]
	how := map[string]string{"percentOn": "+%s %%", "percentOff": "−%s %%", "amountOn": "+%s", "amountOff": "−%s", "set": "set to %s"}[form.How]
	return changes, out, name + " " + fmt.Sprintf(how, value), nil
}

func changedAmount(now *money.Rat, how string, value money.Rat) money.Rat {
	one, share := money.Int(1), money.PercentOf(value)
	switch how {
	case "percentOn":
		return now.Mul(one.Add(share))
	case "percentOff":
		return now.Mul(one.Sub(share))
	case "amountOn":
		return now.Add(value)
	case "amountOff":
		return now.Sub(value)
	}
	return value
}
