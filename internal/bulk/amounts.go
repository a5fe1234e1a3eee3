package bulk

import (
	"fmt"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Amounts says how list prices or costs of many products change.
type Amounts struct {
	Field     string   `json:"field" enum:"list,cost,rrp,map"`
	How       string   `json:"how" enum:"percentOn,percentOff,amountOn,amountOff,set"`
	Value     string   `json:"value" doc:"percent or amount"`
	Step      string   `json:"step,omitempty" doc:"of an ending"`
	Direction string   `json:"direction,omitempty" enum:",nearest,up,down"`
	Shift     string   `json:"shift,omitempty"`
	From      string   `json:"from,omitempty" doc:"the moment from which the new amounts hold; absent: they take the place of those that hold at the board's"`
	SKUs      []string `json:"skus,omitempty" doc:"only these; absent: all that the board's filter leaves"`
}

// ending is the one that amounts are given; nil: none.
func (f *Amounts) ending() (*pricing.Ending, error) {
	if f.Step == "" {
		return nil, nil
	}
	e := &pricing.Ending{Direction: pricing.Direction(f.Direction)}
	var err error
	if e.Step, err = book.ReadAmount("step", f.Step, false); err != nil {
		return nil, err
	}
	if e.Step.Sign() == 0 {
		return nil, book.Invalid("step", "The step must be above 0.")
	}
	if f.Shift != "" {
		e.Shift, err = book.ReadAmount("shift", f.Shift, true)
	}
	return e, err
}

// Edit changes the amounts of products of a board.
func (f *Amounts) Edit(v *board.View) (*Edit, error) {
	value, err := book.ReadAmount("value", f.Value, false)
	if err != nil {
		return nil, err
	}
	if f.How == "percentOff" && money.Int(100).Less(value) {
		return nil, book.Invalid("value", "A reduction is a percent from 0 to 100.")
	}
	ending, err := f.ending()
	if err != nil {
		return nil, err
	}
	at := v.Viewpoint.At
	if f.From != "" {
		if at, err = pricing.ParseMoment(f.From); err != nil {
			return nil, book.Invalid("from", err.Error())
		}
		if at <= v.Viewpoint.At {
			return nil, book.Invalid("from", "Later amounts begin after the moment that is looked at.")
		}
	}
	digits, _ := money.Digits(v.Snap.Book.Settings.Currency)
	which := pricing.Figure(f.Field)
	out, err := edit(v, f.SKUs, func(p *pricing.Product) (was, is string, err error) {
		now := *p.At(at).Own(which)
		if now == nil && f.How != "set" {
			return "", "", errMissing
		}
		after := changedAmount(now, f.How, value)
		if ending != nil {
			after = ending.Apply(after)
		}
		after = money.Max(after, money.Int(0)).Round(digits, money.HalfUp)
		if !after.Less(book.MostAmount) {
			return "", "", book.Invalid("value", fmt.Sprintf("%s would come to %s. %s", p.SKU, bookfile.Amount(after),
				book.TooManyDigits))
		}
		if now != nil {
			was = bookfile.Amount(*now)
		}
		if is = bookfile.Amount(after); was == is {
			return was, is, nil
		}
		if f.From == "" {
			*p = *p.Put(which, at, &after)
		} else {
			*p = *p.PutFrom(which, at, &after)
		}
		return was, is, nil
	})
	if err != nil {
		return nil, err
	}
	name := map[string]string{"list": "List price", "cost": "Cost", "rrp": "Recommended price",
		"map": "Lowest advertised price"}[f.Field]
	how := map[string]string{"percentOn": "+%s %%", "percentOff": "−%s %%", "amountOn": "+%s", "amountOff": "−%s",
		"set": "set to %s"}[f.How]
	out.Summary = fmt.Sprintf("%s %s on %s", name, fmt.Sprintf(how, value), Counted(out.Changed, "product"))
	if f.From != "" {
		out.Summary += " from " + at.Format("2 Jan 2006 15:04")
	}
	return out, nil
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
