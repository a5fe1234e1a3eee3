package impact

import (
	"cmp"
	"context"
	"errors"
	"slices"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/timeline"
)

// Rule is what an unsaved rule would do, from one viewpoint.
type Rule struct {
	Errors   []bookfile.Error `json:"errors" doc:"what keeps the rule from being saved; the rest is empty then"`
	At       string           `json:"at" doc:"the moment looked at: the viewpoint's, or else one at which the rule is open"`
	Shifted  bool             `json:"shifted" doc:"the rule is not open at the viewpoint's moment"`
	Never    bool             `json:"never" doc:"the rule is open at no moment from now on"`
	Channel  string           `json:"channel"`
	Who      string           `json:"who" doc:"whom the rule was looked at for, where not the viewpoint's"`
	As       *book.Assumed    `json:"as,omitempty" doc:"what was assumed of the buyer, where the viewpoint does not say it"`
	Quantity int              `json:"quantity"`
	Currency string           `json:"currency"`
	Reach    int              `json:"reach" doc:"products that the selection holds"`
	Sample   []string         `json:"sample" doc:"names of some of them"`
	Applies  int              `json:"applies" doc:"products whose price the rule makes"`
	Tally
	Changes board.Histogram `json:"changes" doc:"of changed prices, by percent of what they were"`
	Demands []Demand        `json:"demands" doc:"what channels demand of a price and some of the changed ones do not keep"`
	Movers  []Mover         `json:"movers" doc:"the ten biggest changes"`
	Unfixed []Obstacle      `json:"unfixed" doc:"what may still change the price of a rule that is meant to fix it for single customers"`

	Checks  []checks.Result `json:"checks" doc:"checks that hold now and would not"`
	Example *Example        `json:"example" doc:"the rule at work on one product"`
}

// Example is the way of one product's price through the rule.
type Example struct {
	SKU    string   `json:"sku"`
	Name   string   `json:"name"`
	Before *string  `json:"before" doc:"the price entering the rule"`
	Raw    string   `json:"raw" doc:"after the effect alone"`
	Shaped []string `json:"shaped"`
	After  string   `json:"after"`
	Final  *string  `json:"final" doc:"the price shown in the end"`
	Margin *string  `json:"margin"`
	Amount *string  `json:"marginAmount" doc:"net less fee and cost"`
	Cost   *string  `json:"cost" doc:"without tax"`
	Stock  *string  `json:"stock"`
	Sold   *string  `json:"sold" doc:"units in the last 30 days"`
	Pieces int      `json:"pieces,omitempty" doc:"how many of the line's pieces go this way, where not all"`
	Each   *string  `json:"each,omitempty" doc:"then: the price of a piece over all of them; margin and cost are of that"`
	Missed string   `json:"missed,omitempty" doc:"the reason why the rule does not apply to it"`
	By     string   `json:"by,omitempty"`
}

const moversShown = 10

// NoRule is the impact of a rule that cannot be saved.
func NoRule(errs bookfile.Errors) Rule {
	return Rule{Errors: append([]bookfile.Error{}, errs...), Sample: []string{}, Movers: []Mover{}, Demands: []Demand{},
		Unfixed: []Obstacle{},
		Checks:  []checks.Result{}, Changes: board.Histogram{Counts: []int{}}}
}

// Draft is a rule that is being written.
type Draft struct {
	Rule     pricing.Rule
	Replaces string // the code of the saved rule that it takes the place of; "" where its own is
}

func (d *Draft) edit() pricing.Edit {
	return pricing.Edit{Code: cmp.Or(d.Replaces, d.Rule.Code), Rule: &d.Rule}
}

// OfRule is what a rule would do, seen from a viewpoint or from where the rule can be seen at work. now is the present.
func (i *Impacts) OfRule(ctx context.Context, snap *book.Snapshot, d Draft, vp pricing.Viewpoint,
	now pricing.Moment) (Rule, error) {
	out, rule := NoRule(nil), &d.Rule
	if err := out.viewpoint(snap.Engine, rule, &vp); err != nil {
		return out, err
	}
	engine, touched := snap.Engine.With(d.edit())
	vp.With = []string{rule.Code}
	before, after, err := i.around(snap, engine, vp, touched)
	if err != nil {
		return out, err
	}
	var demandsErr error
	demanding := pricing.Begin(func() { out.Demands, demandsErr = i.demands(snap, engine, rule, vp, touched, "", now) })
	defer demanding.Wait()
	out.compare(engine, rule, before, after, touched)
	out.example(engine, rule, after)
	out.Unfixed = Obstacles(engine, rule, d.Replaces, now)
	out.Checks, err = i.broken(ctx, snap.Engine, engine)
	demanding.Wait()
	return out, errors.Join(err, demandsErr)
}

// around are the prices from a viewpoint before and after an edit that touches some products. What counts as on counts
// afterwards.
func (i *Impacts) around(snap *book.Snapshot, engine *pricing.Engine, vp pricing.Viewpoint,
	touched pricing.Set) (before, after *pricing.Sweep, err error) {
	with := vp.With
	vp.With = nil
	kept, err := i.sweeps.Of(snap, vp)
	if err != nil {
		return nil, nil, err
	}
	vp.With = with
	after, err = engine.Resweep(kept.Sweep, vp, touched)
	return kept.Sweep, after, err
}

// viewpoint moves a viewpoint to where the rule can be seen at work. Its error is a *pricing.QuestionError.
func (out *Rule) viewpoint(e *pricing.Engine, rule *pricing.Rule, vp *pricing.Viewpoint) error {
	book := e.Book()
	vp.Quantity = max(vp.Quantity, rule.MinQuantity)
	breaks, counting := rule.Breaks, rule.Counting
	for _, l := range book.Ladders {
		if rule.Ladder != "" && l.Code == rule.Ladder {
			breaks, counting = l.Breaks, l.Counting
		}
	}
	if len(breaks) > 0 {
		if n, fits := breaks[0].From.Minor(0, money.Up); fits && counting.Measure == "quantity" && n < 1_000_000 {
			vp.Quantity = max(vp.Quantity, int(n))
		} else if fits && counting.Measure == "term" {
			vp.Term = int(n)
		}
	}
	out.Quantity = vp.Quantity
	if rule.Channels != nil && !slices.Contains(rule.Channels, vp.Channel) && len(rule.Channels) > 0 {
		vp.Channel = rule.Channels[0]
	}
	windows, campaign := timeline.Windows(book, rule)
	if err := out.meet(e, rule.Audience, vp); err != nil {
		return err
	}
	if campaign != nil {
		if err := out.meet(e, campaign.Audience, vp); err != nil {
			return err
		}
	}
	opens, ever := pricing.NextOpen(windows, vp.At)
	switch {
	case ever:
		vp.At, out.Shifted = opens, opens != vp.At
	case rule.Window != nil && rule.Window.From != nil:
		vp.At, out.Shifted, out.Never = *rule.Window.From, true, true
	default:
		out.Shifted, out.Never = true, true
	}
	out.At, out.Channel = vp.At.String(), vp.Channel
	return nil
}

func (out *Rule) compare(engine *pricing.Engine, rule *pricing.Rule, before, after *pricing.Sweep,
	touched pricing.Set) {
	products := engine.Products()
	out.Currency = after.Currency
	selected := engine.At(after.Viewpoint.At).Match(&rule.Where)
	out.Reach = selected.Count()
	selected.Each(func(p int32) bool {
		out.Sample = append(out.Sample, cmp.Or(products[p].Name, products[p].SKU))
		return len(out.Sample) < 6
	})
	applied, movers := after.AppliedBy(rule.Code), biggest{most: moversShown}
	var shares []int64
	c := comparison{before: before, after: after, number: same, among: touched, reached: selected, each: func(m *move) {
		if applied(m.p) {
			out.Applies++
		}
		if m.moved() && m.had && m.has && m.was != 0 {
			shares = append(shares, m.change()*1_000_000/m.was)
		}
		movers.add(m)
	}}
	out.Tally = c.tally()
	out.Changes, out.Movers = board.Changes(shares), c.movers(movers.list, products)
}

// example takes the first product that the rule applies to, else the first that it reaches.
func (out *Rule) example(engine *pricing.Engine, rule *pricing.Rule, after *pricing.Sweep) {
	chosen, applies := int32(-1), after.AppliedBy(rule.Code)
	engine.At(after.Viewpoint.At).Match(&rule.Where).Each(func(p int32) bool {
		applied := applies(p)
		if chosen < 0 || applied {
			chosen = p
		}
		return !applied
	})
	if chosen < 0 {
		return
	}
	product := engine.Products()[chosen]
	a, err := engine.Price(pricing.Question{Viewpoint: after.Viewpoint, SKU: product.SKU})
	if err != nil {
		return
	}
	shown := bookfile.Answer(a)
	e := &Example{SKU: product.SKU, Name: product.Name, Final: shown.Unit, Shaped: []string{}}
	trail := shown.Trail
	// Brackets give the pieces of one line several prices: those are followed that the rule makes.
	if made := slices.IndexFunc(shown.Portions, func(p bookfile.Portion) bool {
		return slices.Contains(p.Rules, rule.Code)
	}); len(shown.Portions) > 1 && made >= 0 {
		part := shown.Portions[made]
		trail, e.Final, e.Pieces, e.Each = part.Trail, part.Unit, part.Quantity, shown.Unit
	}
	e.Stock, e.Sold = board.Plain(product.Stock), board.Plain(product.Sold)
	if shown.Margin != nil {
		e.Margin, e.Amount, e.Cost = shown.Margin.Percent, &shown.Margin.Amount, &shown.Margin.Cost
	}
	for _, step := range trail.Steps {
		if step.Rule == rule.Code {
			e.Before, e.Raw, e.After, e.Shaped = step.Before, step.Raw, step.After, append(e.Shaped, step.Shaped...)
		}
	}
	for _, miss := range trail.Missed {
		if miss.Rule == rule.Code {
			e.Missed, e.By = miss.Reason, miss.By
		}
	}
	out.Example = e
}
