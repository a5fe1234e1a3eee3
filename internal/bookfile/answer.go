package bookfile

import (
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// PriceAnswer is a price answer as JSON. Amounts are decimal texts in Currency with that currency's decimals; null
// where there is none.
type PriceAnswer struct {
	SKU      string        `json:"sku"`
	Currency string        `json:"currency"`
	Quantity int           `json:"quantity"`
	List     *string       `json:"list"`
	Unit     *string       `json:"unit"`
	Total    *string       `json:"total"`
	Rules    []string      `json:"rules" doc:"codes of the rules that applied, in the order in which they first did"`
	Margin   *MarginAnswer `json:"margin"`
	Portions []Portion     `json:"portions" doc:"units that come out alike"`
	Trail    *Trail        `json:"trail" doc:"of the first portion"`
}

// MarginAnswer is what is left of a unit's price.
type MarginAnswer struct {
	Net     string  `json:"net" doc:"the price without tax"`
	Fee     string  `json:"fee" doc:"what the channel keeps"`
	Cost    string  `json:"cost" doc:"without tax"`
	Amount  string  `json:"amount" doc:"net less fee and cost"`
	Percent *string `json:"percent" doc:"gross margin, amount ÷ net; null where net is 0"`
}

// Portion is units of a line that come out alike.
type Portion struct {
	Quantity int      `json:"quantity"`
	Unit     *string  `json:"unit"`
	Rules    []string `json:"rules"`
	Trail    *Trail   `json:"trail"`
}

// Trail is the way from the list price to the price.
type Trail struct {
	Steps  []TrailStep  `json:"steps"`
	Missed []TrailMiss  `json:"missed" doc:"rules whose selection holds the product and that did not apply"`
	Finish *TrailFinish `json:"finish"`
}

// TrailStep is one rule that applied. Its amounts are exact as far as six decimals show them, on the book's tax
// footing.
type TrailStep struct {
	Rule         string   `json:"rule"`
	Layer        string   `json:"layer"`
	Before       *string  `json:"before"`
	Raw          string   `json:"raw" doc:"the result of the effect alone"`
	After        string   `json:"after"`
	Basis        *string  `json:"basis,omitempty" doc:"what the effect started from, where not the price entering"`
	From         *string  `json:"from,omitempty" doc:"the break whose effect this is"`
	Shaped       []string `json:"shaped,omitempty" doc:"what changed the result: max-off, floor, ending, zero"`
	Ended        string   `json:"ended,omitempty" doc:"what the rule ended: layer or price"`
	MarginAmount *string  `json:"left,omitempty" doc:"net less fee and cost, were this the price"`
	Share        *string  `json:"share,omitempty" doc:"that in percent of the net price"`
}

// TrailMiss is one rule that did not apply.
type TrailMiss struct {
	Rule    string  `json:"rule"`
	Layer   string  `json:"layer"`
	Reason  string  `json:"reason"`
	By      string  `json:"by,omitempty" doc:"the rule that shut this one out"`
	Counted *string `json:"counted,omitempty"`
	Wanted  *string `json:"wanted,omitempty"`
	Would   *string `json:"would,omitempty" doc:"what the rule would have made of the price"`
}

// TrailFinish is how the price after the layers became the price shown, on the channel's footing but for raw.
type TrailFinish struct {
	Raw         string  `json:"raw"`
	TaxFactor   *string `json:"taxFactor,omitempty"`
	Ending      bool    `json:"ending,omitempty"`
	Rounded     string  `json:"rounded"`
	Lowest      *string `json:"lowest,omitempty" doc:"the guard's lowest permitted price"`
	LowestByOff *string `json:"lowestByOff,omitempty" doc:"the lowest price that the guard's maxOff permits"`
	Held        bool    `json:"held,omitempty" doc:"lifted to the lowest permitted price"`
	UnderGuard  bool    `json:"underGuard,omitempty"`
}

// Answer writes a price answer.
func Answer(a *pricing.Answer) *PriceAnswer {
	fixed := func(r *money.Rat) *string { return mapped(r, func(r money.Rat) string { return r.Fixed(a.Digits) }) }
	out := &PriceAnswer{SKU: a.SKU, Currency: a.Currency, Quantity: a.Quantity, List: fixed(a.List), Unit: fixed(a.Unit),
		Total: fixed(a.Total), Rules: a.Rules, Portions: []Portion{}}
	out.Margin = marginAnswer(a.Margin, a.Digits)
	for i := range a.Portions {
		p := &a.Portions[i]
		out.Portions = append(out.Portions, Portion{Quantity: p.Quantity, Unit: fixed(p.Unit), Rules: p.Rules,
			Trail: trail(&p.Trail, a.Digits)})
	}
	out.Trail = out.Portions[0].Trail
	return out
}

func marginAnswer(m *pricing.Margin, digits int) *MarginAnswer {
	if m == nil {
		return nil
	}
	out := &MarginAnswer{Net: m.Net.Fixed(digits), Fee: m.Fee.Fixed(digits), Cost: m.Cost.Fixed(digits),
		Amount: m.Amount.Fixed(digits)}
	if percent, known := m.Percent(); known {
		text := percent.Fixed(2)
		out.Percent = &text
	}
	return out
}

func mapped[T any](r *T, f func(T) string) *string {
	if r == nil {
		return nil
	}
	s := f(*r)
	return &s
}

// exact writes a number in full where it is short, else rounded to six decimals.
func exact(r money.Rat) string { return Amount(r.Round(6, money.HalfUp)) }

// plainNumber is a count or a factor.
func plainNumber(r money.Rat) string { return r.Round(6, money.HalfUp).String() }

func trail(t *pricing.Trail, digits int) *Trail {
	out := &Trail{Steps: []TrailStep{}, Missed: []TrailMiss{}}
	for _, s := range t.Steps {
		step := TrailStep{Rule: s.Rule, Layer: s.Layer.String(), Before: mapped(s.Before, exact), Raw: exact(s.Raw),
			After: exact(s.After),
			Basis: mapped(s.Basis, exact), From: mapped(s.From, plainNumber), Shaped: s.Shaped, Ended: s.Ended}
		if s.Margin != nil {
			amount := s.Margin.Amount.Fixed(digits)
			step.MarginAmount = &amount
			if percent, known := s.Margin.Percent(); known {
				text := percent.Fixed(1)
				step.Share = &text
			}
		}
		out.Steps = append(out.Steps, step)
	}
	for _, m := range t.Missed {
		out.Missed = append(out.Missed, TrailMiss{Rule: m.Rule, Layer: m.Layer.String(), Reason: string(m.Reason), By: m.By,
			Counted: mapped(m.Counted, plainNumber), Wanted: mapped(m.Wanted, plainNumber), Would: mapped(m.Would, exact)})
	}
	if f := t.Finish; f != nil {
		out.Finish = &TrailFinish{Raw: exact(f.Raw), TaxFactor: mapped(f.TaxFactor, plainNumber), Ending: f.Ending,
			Rounded: exact(f.Rounded), Lowest: mapped(f.Lowest, exact), LowestByOff: mapped(f.LowestByOff, exact),
			Held: f.Held, UnderGuard: f.UnderGuard || f.OverMaxOff}
	}
	return out
}
