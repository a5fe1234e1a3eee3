package server

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"sync"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// Impact is what an unsaved rule would do, from one viewpoint.
type Impact struct {
	Errors   []DocError `json:"errors" doc:"what keeps the rule from being saved; the rest is empty then"`
	At       string     `json:"at" doc:"the moment looked at: the viewpoint's, or else one at which the rule is open"`
	Moved    bool       `json:"moved" doc:"the rule is not open at the viewpoint's moment"`
	Never    bool       `json:"never" doc:"the rule is open at no moment from now on"`
	Channel  string     `json:"channel"`
	Who      string     `json:"who" doc:"whom the rule was looked at for, where not the viewpoint's"`
	Quantity int        `json:"quantity"`
	Currency string     `json:"currency"`
	Reach    int        `json:"reach" doc:"products that the selection holds"`
	Sample   []string   `json:"sample" doc:"names of some of them"`
	Applies  int        `json:"applies" doc:"products whose price the rule makes"`
	Changed  int        `json:"changed" doc:"prices that differ from those of the saved book"`
	Up       int        `json:"up"`
	Down     int        `json:"down"`
	Below    int        `json:"below" doc:"changed prices that are below cost"`
	NewBelow int        `json:"newBelow" doc:"products that come to lie below cost"`
	Cleared  int        `json:"cleared" doc:"products that no longer lie below cost"`
	Changes  Histogram  `json:"changes" doc:"of changed prices, by percent of what they were"`
	Demands  []Demand   `json:"demands" doc:"what channels demand of a price and some of the changed ones do not keep"`
	MarginA  *string    `json:"marginBefore" doc:"mean margin in percent of the products reached"`
	MarginB  *string    `json:"marginAfter"`
	Movers   []Mover    `json:"movers" doc:"the ten biggest changes"`

	Checks  []BrokenCheck `json:"checks" doc:"checks that hold now and would not"`
	Example *Example      `json:"example" doc:"the rule at work on one product"`
}

// DocError is an error of a document.
type DocError struct {
	Path    string `json:"path"`
	Problem string `json:"problem"`
	Value   string `json:"value"`
}

// Demand is a limit of a channel that reduced prices break.
type Demand struct {
	Channel string   `json:"channel"`
	Name    string   `json:"name"`
	Kind    string   `json:"kind" enum:"whole-units,least-off,most-off,reference,lead-hours"`
	Count   int      `json:"count" doc:"products whose price breaks it"`
	SKU     string   `json:"sku,omitempty" doc:"one of them"`
	Have    string   `json:"have,omitempty" doc:"its price"`
	Wants   string   `json:"wants" doc:"what the channel demands"`
	Nearest []string `json:"nearest" doc:"the nearest prices that would pass, ascending"`
}

// Mover is one changed price.
type Mover struct {
	SKU    string  `json:"sku"`
	Name   string  `json:"name"`
	Before *string `json:"before"`
	After  *string `json:"after"`
	Change *string `json:"change"`
	Margin *string `json:"margin" doc:"afterwards, in percent"`
	Below  bool    `json:"below" doc:"below cost afterwards"`
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
	Left   *string  `json:"left"`
	Cost   *string  `json:"cost" doc:"without tax"`
	Stock  *string  `json:"stock"`
	Sold   *string  `json:"sold" doc:"units in the last 30 days"`
	Missed string   `json:"missed,omitempty" doc:"the reason why the rule does not apply to it"`
	By     string   `json:"by,omitempty"`
}

const moversShown = 10

func (s *Server) impact(ctx context.Context, in *ViewpointQuery, replaces string, doc RuleDoc) (Impact, error) {
	snap := s.live.Current()
	out := Impact{Errors: []DocError{}, Sample: []string{}, Movers: []Mover{}, Demands: []Demand{}, Checks: []BrokenCheck{}, Changes: Histogram{Counts: []int{}}}
	rule, err := bookfile.DecodeRule(withCode(doc), snap.Book)
	if err != nil {
		out.Errors, err = docErrors(err)
		return out, err
	}
	vp, err := in.viewpoint(s, snap)
	if err != nil {
		return out, err
	}
	out.viewpoint(snap.Book, &rule, &vp)
	vp.With = nil
	before, err := s.sweep(snap, vp)
	if err != nil {
		return out, err
	}
	engine, touched := snap.Engine.With(pricing.Edit{Code: cmp.Or(replaces, rule.Code), Rule: &rule})
	vp.With = []string{rule.Code}
	after, err := engine.Resweep(before.Sweep, vp, touched)
	if err != nil {
		return out, err
	}
	var together sync.WaitGroup
	var demandsErr error
	together.Go(func() { out.Demands, demandsErr = s.demands(snap, engine, &rule, vp, touched, "") })
	out.compare(engine, &rule, before.Sweep, after, touched)
	out.example(engine, &rule, after)
	out.Checks, err = s.broken(ctx, snap.Engine, engine)
	together.Wait()
	return out, errors.Join(err, demandsErr)
}

// viewpoint moves a viewpoint to where the rule can be seen at work.
func (out *Impact) viewpoint(book *pricing.Book, rule *pricing.Rule, vp *pricing.Viewpoint) {
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
	if a := rule.Audience; a != nil {
		isGroup := slices.ContainsFunc(vp.Groups, func(g string) bool { return slices.Contains(a.Groups, g) })
		if !isGroup && !slices.Contains(a.Customers, vp.Customer) {
			switch {
			case len(a.Groups) > 0:
				vp.Groups, vp.Customer, out.Who = a.Groups[:1], "", "group:"+a.Groups[0]
			case len(a.Customers) > 0:
				vp.Groups, vp.Customer, out.Who = nil, a.Customers[0], "customer:"+a.Customers[0]
			}
		}
		if len(a.Countries) > 0 {
			vp.Country = a.Countries[0]
		}
		vp.FirstOrder = a.FirstOrder != nil && *a.FirstOrder
		if a.SignedIn != nil {
			vp.SignedIn = a.SignedIn
		}
	}
	if rule.Channels != nil && !slices.Contains(rule.Channels, vp.Channel) && len(rule.Channels) > 0 {
		vp.Channel = rule.Channels[0]
	}
	if !rule.Window.Open(vp.At) {
		out.Moved = true
		at, found := vp.At, false
		for range 1000 {
			next, more := rule.Window.Next(at)
			if !more {
				break
			}
			if at = next; rule.Window.Open(at) {
				found = true
				break
			}
		}
		switch {
		case found:
			vp.At = at
		case rule.Window.From != nil && rule.Window.Open(*rule.Window.From):
			vp.At, out.Never = *rule.Window.From, true
		default:
			out.Never = true
		}
	}
	out.At, out.Channel = vp.At.String(), vp.Channel
}

func (out *Impact) compare(engine *pricing.Engine, rule *pricing.Rule, before, after *pricing.Sweep, touched pricing.Set) {
	products := engine.Products()
	out.Currency = after.Currency
	selected := engine.Match(&rule.Where)
	out.Reach = selected.Count()
	selected.Each(func(p int32) bool {
		out.Sample = append(out.Sample, cmp.Or(products[p].Name, products[p].SKU))
		return len(out.Sample) < 6
	})
	type mover struct {
		p      int32
		change int64
	}
	var movers []mover // the biggest so far, biggest first
	var marginA, marginB []int64
	var changed []int32 // with the share of each
	var shares []int64
	applied, margins := after.AppliedBy(rule.Code), before.Margins()
	margin := after.Margin
	if touched.Count() > len(products)/4 {
		all := after.Margins() // on all cores
		margin = func(p int32) (net, left int64, known bool) { return all.Net[p], all.Left[p], all.Known[p] }
	}
	touched.Each(func(p int32) bool {
		if applied(p) {
			out.Applies++
		}
		a, hadPrice := before.Price(p)
		b, hasPrice := after.Price(p)
		if selected.Has(p) {
			m, ok := marginShare(margins.Net[p], margins.Left[p], margins.Known[p])
			if ok {
				marginA = append(marginA, m)
			}
			if hadPrice != hasPrice || a != b {
				m, ok = marginShare(margin(p))
			}
			if ok {
				marginB = append(marginB, m)
			}
		}
		if wasBelow, isBelow := before.BelowCost(p), after.BelowCost(p); wasBelow != isBelow {
			if isBelow {
				out.NewBelow++
			} else {
				out.Cleared++
			}
		}
		if hadPrice == hasPrice && a == b {
			return true
		}
		out.Changed++
		if hadPrice && hasPrice && a != 0 {
			shares = append(shares, (b-a)*1_000_000/a)
			changed = append(changed, int32(len(changed)))
		}
		if !hadPrice || hasPrice && b > a {
			out.Up++
		} else {
			out.Down++
		}
		if after.BelowCost(p) {
			out.Below++
		}
		one := mover{p: p}
		if hadPrice && hasPrice {
			one.change = b - a
		}
		size := func(m mover) int64 { return max(m.change, -m.change) }
		if len(movers) < moversShown || size(one) > size(movers[len(movers)-1]) {
			at, _ := slices.BinarySearchFunc(movers, one, func(m, n mover) int {
				if size(m) >= size(n) {
					return -1
				}
				return 1
			})
			movers = slices.Insert(movers[:min(len(movers), moversShown-1)], min(at, moversShown-1), one)
		}
		return true
	})
	out.MarginA, out.MarginB = mean(marginA), mean(marginB)
	out.Changes = histogram(changed, changeFrom, changeWidth, changeBins, func(p int32) (int64, bool) { return shares[p], true })
	for _, m := range movers {
		a, b := before.Row(m.p), after.Row(m.p)
		one := Mover{SKU: products[m.p].SKU, Name: products[m.p].Name, Before: minor(a.Price, a.HasPrice, after.Digits), After: minor(b.Price, b.HasPrice, after.Digits), Below: b.HasPrice && b.BelowCost}
		if a.HasPrice && b.HasPrice {
			one.Change = minor(m.change, true, after.Digits)
		}
		if b.HasPrice && b.HasCost {
			one.Margin = marginPercent(b.Left, b.Net)
		}
		out.Movers = append(out.Movers, one)
	}
}

// mean is the mean of millionths as a percent with one decimal.
func mean(values []int64) *string {
	if len(values) == 0 {
		return nil
	}
	var sum int64
	for _, v := range values {
		sum += v
	}
	text := money.Ratio(sum, int64(len(values))).Mul(money.Ratio(1, 10_000)).Fixed(1)
	return &text
}

// example takes the first product that the rule applies to, else the first that it reaches.
func (out *Impact) example(engine *pricing.Engine, rule *pricing.Rule, after *pricing.Sweep) {
	chosen, applies := int32(-1), after.AppliedBy(rule.Code)
	engine.Match(&rule.Where).Each(func(p int32) bool {
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
	e.Stock, e.Sold = plainText(product.Stock), plainText(product.Sold)
	if shown.Margin != nil {
		e.Margin, e.Left, e.Cost = shown.Margin.Percent, &shown.Margin.Amount, &shown.Margin.Cost
	}
	for _, step := range shown.Trail.Steps {
		if step.Rule == rule.Code {
			e.Before, e.Raw, e.After, e.Shaped = step.Before, step.Raw, step.After, append(e.Shaped, step.Shaped...)
		}
	}
	for _, miss := range shown.Trail.Missed {
		if miss.Rule == rule.Code {
			e.Missed, e.By = miss.Reason, miss.By
		}
	}
	out.Example = e
}

// demands holds the prices that a rule makes in channels with limits (only one, where it is named) against those.
func (s *Server) demands(snap *store.Snapshot, engine *pricing.Engine, rule *pricing.Rule, vp pricing.Viewpoint, touched pricing.Set, only string) ([]Demand, error) {
	list := []Demand{}
	for i := range snap.Book.Channels {
		c := &snap.Book.Channels[i]
		if c.Limits == nil || only != "" && only != c.Code || rule.Channels != nil && !slices.Contains(rule.Channels, c.Code) {
			continue
		}
		one := vp
		one.Channel, one.Groups, one.Customer, one.With = c.Code, nil, "", nil
		before, err := s.sweep(snap, one)
		if err != nil {
			return nil, err
		}
		one.With = vp.With
		sw, err := engine.Resweep(before.Sweep, one, touched)
		if err != nil {
			return nil, err
		}
		found := map[string]*Demand{}
		breaks := func(p int32, kind string, wants func() string, price int64, nearest ...int64) {
			d := found[kind]
			if d == nil {
				d = &Demand{Channel: c.Code, Name: cmp.Or(c.Name, c.Code), Kind: kind, SKU: engine.Products()[p].SKU, Have: money.FormatMinor(price, sw.Digits), Wants: wants(), Nearest: []string{}}
				for _, n := range nearest {
					if n > 0 {
						d.Nearest = append(d.Nearest, money.FormatMinor(n, sw.Digits))
					}
				}
				found[kind] = d
			}
			d.Count++
		}
		unit, _ := money.Int(1).Minor(sw.Digits, money.HalfUp)
		applies, applied := false, sw.AppliedBy(rule.Code)
		engine.Match(&rule.Where).Each(func(p int32) bool {
			price, priced := sw.Price(p)
			if !priced || !applied(p) {
				return true
			}
			from, known := sw.CatalogPrice(p)
			applies = true
			if c.Limits.WholeUnits && price%unit != 0 {
				breaks(p, "whole-units", func() string { return "whole amounts" }, price, price-price%unit, price-price%unit+unit)
			}
			if known && price < from {
				limit := func(percent *money.Rat, mode money.Mode) int64 {
					n, _ := money.FromMinor(from, sw.Digits).Mul(money.Int(1).Sub(money.PercentOf(*percent))).Minor(sw.Digits, mode)
					return n
				}
				if least := c.Limits.MinOffPercent; least != nil {
					if n := limit(least, money.Down); price > n {
						breaks(p, "least-off", func() string { return "at least " + least.String() + " % off" }, price, n, from)
					}
				}
				if most := c.Limits.MaxOffPercent; most != nil {
					if n := limit(most, money.Up); price < n {
						breaks(p, "most-off", func() string { return "at most " + most.String() + " % off" }, price, n)
					}
				}
				product := engine.Products()[p]
				if c.Limits.NeedsReference && product.RRP == nil && (product.List == nil || known && from <= price) {
					breaks(p, "reference", func() string { return "a recommended price or a higher list price" }, price)
				}
			}
			return true
		})
		if lead := c.Limits.LeadHours; applies && lead != nil && rule.Window != nil && rule.Window.From != nil {
			earliest := s.moment(snap) + pricing.Moment(int64(lead.Float()*3600))
			if *rule.Window.From < earliest && *rule.Window.From > s.moment(snap) {
				found["lead-hours"] = &Demand{Channel: c.Code, Name: cmp.Or(c.Name, c.Code), Kind: "lead-hours", Have: rule.Window.From.String(), Wants: lead.String() + " hours' notice", Nearest: []string{earliest.String()}}
			}
		}
		for _, kind := range []string{"whole-units", "least-off", "most-off", "reference", "lead-hours"} {
			if d := found[kind]; d != nil {
				list = append(list, *d)
			}
		}
	}
	return list, nil
}
