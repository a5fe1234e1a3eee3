package board

import (
	"cmp"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// Row is one product's price from a viewpoint. Amounts are decimal texts in the board's currency.
type Row struct {
	SKU      string       `json:"sku"`
	Name     string       `json:"name"`
	Category string       `json:"category"`
	Unit     string       `json:"unit" doc:"each, day or month"`
	List     *string      `json:"list"`
	BookList *string      `json:"bookList" doc:"the list price that holds at the board's moment, as it is kept, in the book's currency"`
	BookCost *string      `json:"bookCost" doc:"the cost as it is kept, without tax, in the book's currency"`
	After    []string     `json:"after" doc:"the price after each layer, in order; empty where there is no price"`
	Price    *string      `json:"price"`
	Reduced  *string      `json:"reducedFrom,omitempty" doc:"what the channel shows guests the price as reduced from"`
	Lowest   *string      `json:"lowest" doc:"the lowest permitted price"`
	Cost     *string      `json:"cost" doc:"on the price's footing"`
	Amount   *string      `json:"marginAmount" doc:"net less fee and cost"`
	Margin   *string      `json:"margin" doc:"the gross margin in percent of the net price"`
	Against  *string      `json:"against" doc:"the price that this is compared with"`
	Change   *string      `json:"change" doc:"price less that; null where there is none"`
	Stock    *string      `json:"stock"`
	Sold     *string      `json:"sold" doc:"units in the last 30 days"`
	Spread   []*string    `json:"spread,omitempty" doc:"prices by the board's columns"`
	Rules    []RuleMark   `json:"rules" doc:"that applied, in order"`
	Flags    []flags.Kind `json:"flags" doc:"kinds of trouble that mark the price"`
	Least    *Least       `json:"least,omitempty" doc:"the thinnest margin of the channels, where the filter looks at all of them"`
}

// Least is the thinnest margin that a product has in the channels.
type Least struct {
	Channel string `json:"channel"`
	Margin  string `json:"margin" doc:"in percent of the net price"`
}

// RuleMark is a rule at work.
type RuleMark struct {
	Code  string `json:"code"`
	Name  string `json:"name"`
	Layer string `json:"layer"`
}

// Page is a page of rows.
type Page struct {
	Version  int64  `json:"version"`
	Currency string `json:"currency"`
	At       string `json:"at"`
	Total    int    `json:"total" doc:"rows that the filter leaves"`
	Start    int    `json:"start"`
	Rows     []Row  `json:"rows"`

	Columns []Column `json:"columns,omitempty" doc:"what prices are spread over"`
}

// row is a product on the board.
func (v *View) row(number int32) Row {
	p := v.Snap.Engine.At(v.Viewpoint.At).Products()[number]
	kept := func(a *money.Rat) *string {
		if a == nil {
			return nil
		}
		text := bookfile.Amount(*a)
		return &text
	}
	row, digits := v.sweep.Row(number), v.sweep.Digits
	out := Row{SKU: p.SKU, Name: p.Name, Category: p.Category, Unit: p.Unit, List: Minor(row.List, row.HasList, digits),
		BookList: kept(p.List), BookCost: kept(p.Cost),
		After: []string{}, Price: Minor(row.Price, row.HasPrice, digits), Cost: Minor(row.Cost, row.HasCost, digits),
		Rules: []RuleMark{}, Flags: flags.On(&row), Stock: Plain(p.Stock), Sold: Plain(p.Sold)}
	was, had := v.against.price(number)
	out.Against = Minor(was, had, digits)
	out.Least = v.least(number)
	d, known := v.change(number)
	out.Change = Minor(d, known, digits)
	if !row.HasPrice {
		return out
	}
	for _, after := range row.After {
		out.After = append(out.After, money.FormatMinor(after, digits))
	}
	out.Lowest = Minor(row.Lowest, row.Lowest > 0, digits)
	if row.HasCost {
		out.Amount, out.Margin = Minor(row.Margin, true, digits), Percent(row.Margin, row.Net)
	}
	for _, r := range row.Rules {
		out.Rules = append(out.Rules, MarkOf(r))
	}
	return out
}

// least is the thinnest margin of a product in the channels that are looked at; nil where none is known.
func (v *View) least(p int32) *Least {
	var out *Least
	var least int64
	for _, sw := range v.channels {
		m := sw.Margins()
		if share, known := Share(m.Net[p], m.Amount[p], m.Known[p]); known && (out == nil || share < least) {
			out, least = &Least{sw.Viewpoint.Channel, *Percent(m.Amount[p], m.Net[p])}, share
		}
	}
	return out
}

// Plain is a number as it is kept.
func Plain(a *money.Rat) *string {
	if a == nil {
		return nil
	}
	text := a.String()
	return &text
}

// Percent is a margin ÷ net in percent with one decimal.
func Percent(margin, net int64) *string {
	if net == 0 {
		return nil
	}
	text := money.Ratio(margin, net).Mul(money.Int(100)).Fixed(1)
	return &text
}

// Minor writes whole minor units where they are known.
func Minor(n int64, known bool, digits int) *string {
	if !known {
		return nil
	}
	text := money.FormatMinor(n, digits)
	return &text
}

// MarkOf names a rule.
func MarkOf(r *pricing.Rule) RuleMark {
	return RuleMark{r.Code, cmp.Or(r.Name, r.Code), r.Layer.String()}
}
