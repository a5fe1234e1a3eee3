package impact

import (
	"context"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
)

// Elsewhere is what an unsaved rule would do to the prices of others than those for whom its impact is told.
type Elsewhere struct {
	Others []Other `json:"others" doc:"groups, customers with terms of their own and channels whose prices move"`
	Unseen int     `json:"unseen" doc:"customers with terms of their own that were not looked at because they are many"`
}

// Other is somebody, or a channel with its guests, whose prices move.
type Other struct {
	Who     string `json:"who" doc:"group:CODE or customer:CODE; empty: a guest"`
	Channel string `json:"channel"`
	Moved   int    `json:"moved"`
	Up      int    `json:"up"`
	Down    int    `json:"down"`
}

// mostCustomers are looked at; what a book has more is counted.
const mostCustomers = 24

// ElsewhereOf is what a rule would do to everybody but those for whom OfRule tells it: every group, customers with
// terms of their own and the guests of other channels, at the moment and the quantity that OfRule looks at.
func (i *Impacts) ElsewhereOf(ctx context.Context, snap *book.Snapshot, d Draft, vp pricing.Viewpoint) (Elsewhere,
	error) {
	out, told := Elsewhere{Others: []Other{}}, NoRule(nil)
	if err := told.viewpoint(snap.Engine, &d.Rule, &vp); err != nil {
		return out, err
	}
	vp.With = []string{d.Rule.Code}
	engine, touched := snap.Engine.With(d.edit())
	var others []Other
	for _, g := range snap.Book.Groups {
		others = append(others, Other{Who: "group:" + g.Code, Channel: vp.Channel})
	}
	customers := customersWithTerms(snap.Engine, touched, &d.Rule)
	out.Unseen = max(0, len(customers)-mostCustomers)
	for _, code := range customers[:min(len(customers), mostCustomers)] {
		others = append(others, Other{Who: "customer:" + code, Channel: vp.Channel})
	}
	for _, c := range snap.Book.Channels {
		others = append(others, Other{Channel: c.Code})
	}
	for _, o := range others {
		if err := ctx.Err(); err != nil {
			return out, err
		}
		one := vp.Guest()
		one.Channel, one.FirstOrder, one.SignedIn = o.Channel, vp.FirstOrder, vp.SignedIn
		if err := book.SetWho(&one, o.Who); err != nil {
			return out, err
		}
		if one.Customer == "" {
			one.Attrs = vp.Attrs
		}
		if one.Channel == vp.Channel && one.Customer == vp.Customer && slices.Equal(one.Groups, vp.Groups) {
			continue // for whom OfRule tells it
		}
		before, after, err := i.around(snap, engine, one, touched)
		if err != nil {
			return out, err
		}
		tally := (&comparison{before: before, after: after, number: same, among: touched}).tally()
		if o.Moved, o.Up, o.Down = tally.Moved, tally.Up, tally.Down; o.Moved > 0 {
			out.Others = append(out.Others, o)
		}
	}
	return out, nil
}

// customersWithTerms are the customers whom a rule names, and those whom others name that select some of the goods, in
// the order of their codes.
func customersWithTerms(e *pricing.Engine, goods pricing.Set, rule *pricing.Rule) []string {
	var list []string
	if rule.Audience != nil {
		list = slices.Clone(rule.Audience.Customers)
	}
	for _, r := range e.Book().Rules {
		if r.Audience == nil || len(r.Audience.Customers) == 0 || r.Status != pricing.On {
			continue
		}
		meets := false
		e.Match(&r.Where).Each(func(p int32) bool { meets = goods.Has(p); return !meets })
		if meets {
			list = append(list, r.Audience.Customers...)
		}
	}
	slices.Sort(list)
	return slices.Compact(list)
}
