package impact

import (
	"cmp"
	"context"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
)

// Trial is an unsaved offer or order at work on real goods.
type Trial struct {
	Errors   []bookfile.Error `json:"errors" doc:"what keeps the rule from being saved; the rest is empty then"`
	At       string           `json:"at" doc:"the moment looked at: the viewpoint's, or else one at which the rule is open"`
	Shifted  bool             `json:"shifted" doc:"the rule is not open at the viewpoint's moment"`
	Never    bool             `json:"never" doc:"the rule is open at no moment from now on"`
	Channel  string           `json:"channel"`
	Who      string           `json:"who" doc:"whom it was tried for, where not the viewpoint's"`
	As       *book.Assumed    `json:"as,omitempty" doc:"what was assumed of the buyer, where the viewpoint does not say it"`
	Currency string           `json:"currency"`
	Reach    int              `json:"reach" doc:"products that can take part"`
	Steps    []TrialStep      `json:"steps" doc:"the basket after some more units were put in, one step after the other"`
	Thinnest *TrialSet        `json:"thinnest" doc:"of the smallest sets that make the offer apply and were tried, the one with the lowest margin"`
	Checks   []checks.Result  `json:"checks" doc:"checks that hold now and would not"`
}

// TrialStep is one step of a trial.
type TrialStep struct {
	SKU          string `json:"sku" doc:"what was put in"`
	Name         string `json:"name"`
	Quantity     int    `json:"quantity" doc:"how much of it"`
	Units        int    `json:"units" doc:"in the basket now"`
	Apart        string `json:"apart" doc:"what the goods cost before offers"`
	Off          string `json:"off" doc:"by this offer"`
	Others       string `json:"others" doc:"by other offers"`
	Total        string `json:"total"`
	Applications int    `json:"applications"`
	TakenBy      string `json:"takenBy,omitempty" doc:"the offer that took the units where this one did not apply for that"`
	Problem      string `json:"problem,omitempty" doc:"why so many cannot be ordered"`
}

// TrialSet is goods with what is left of them.
type TrialSet struct {
	Goods   []TrialGoods `json:"goods"`
	Total   string       `json:"total"`
	Cost    string       `json:"cost"`
	Amount  string       `json:"amount" doc:"what is left, without tax and fee"`
	Percent string       `json:"percent"`
}

// TrialGoods is units of a product.
type TrialGoods struct {
	SKU      string `json:"sku"`
	Name     string `json:"name"`
	Quantity int    `json:"quantity"`
}

// NoTrial is the trial of a rule that cannot be saved.
func NoTrial(errs bookfile.Errors) Trial {
	return Trial{Errors: append([]bookfile.Error{}, errs...), Steps: []TrialStep{}, Checks: []checks.Result{}}
}

// TrialOf tries an offer or an order from a viewpoint, or from where it can be seen at work.
func (i *Impacts) TrialOf(ctx context.Context, snap *book.Snapshot, d Draft, vp pricing.Viewpoint) (Trial, error) {
	out, seen := NoTrial(nil), NoRule(nil)
	vp.Quantity = 1
	if err := seen.viewpoint(snap.Engine, &d.Rule, &vp); err != nil {
		return out, err
	}
	out.At, out.Shifted, out.Never = seen.At, seen.Shifted, seen.Never
	out.Channel, out.Who, out.As = seen.Channel, seen.Who, seen.As
	engine, _ := snap.Engine.With(d.edit())
	// Drafts that the viewpoint counts as on take part; so does this one, by the code that it has now.
	vp.With = append(slices.DeleteFunc(slices.Clone(vp.With), func(c string) bool { return c == d.Replaces }), d.Rule.Code)
	if d.Rule.Campaign != "" {
		vp.With = append(vp.With, d.Rule.Campaign)
	}
	t, err := basket.Compile(engine).Try(d.Rule.Code, vp)
	if err != nil {
		return out, err
	}
	text := func(r money.Rat) string { return r.Fixed(t.Digits) }
	name := func(sku string) string {
		p, _ := engine.ProductNumber(sku)
		return cmp.Or(engine.Products()[p].Name, sku)
	}
	out.Currency, out.Reach = t.Currency, t.Reach
	for _, s := range t.Steps {
		out.Steps = append(out.Steps, TrialStep{SKU: s.Added.SKU, Name: name(s.Added.SKU), Quantity: s.Added.Quantity,
			Units: s.Units, Apart: text(s.Apart), Off: text(s.Off), Others: text(s.Others), Total: text(s.Total),
			Applications: s.Applications, TakenBy: s.TakenBy, Problem: s.Problem})
	}
	if set := t.Thinnest; set != nil {
		percent, _ := set.Margin.Percent()
		out.Thinnest = &TrialSet{Goods: []TrialGoods{}, Total: text(set.Total), Cost: text(set.Margin.Cost),
			Amount: text(set.Margin.Amount), Percent: percent.Fixed(1)}
		for _, x := range set.Lines {
			out.Thinnest.Goods = append(out.Thinnest.Goods, TrialGoods{x.SKU, name(x.SKU), x.Quantity})
		}
	}
	out.Checks, err = i.broken(ctx, snap.Engine, engine)
	return out, err
}
