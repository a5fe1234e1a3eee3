package impact

import (
	"slices"

	"dogbane/internal/board"
	"dogbane/internal/pricing"
	"dogbane/internal/timeline"
)

// Obstacle is what may still change a price that a rule fixes for single customers.
type Obstacle struct {
	Kind  ObstacleKind    `json:"kind" enum:"layer-ends,mode,rule-ends,same-customer"`
	Layer string          `json:"layer"`
	Rule  *board.RuleMark `json:"rule,omitempty"`
}

// ObstacleKind is how a price may be changed all the same.
type ObstacleKind string

// The kinds.
const (
	LayerEnds    ObstacleKind = "layer-ends"    // an earlier layer ends the price where one of its rules applies
	OtherMode    ObstacleKind = "mode"          // it is not the first rule that wins in its layer
	RuleEnds     ObstacleKind = "rule-ends"     // a rule of an earlier layer ends the price
	SameCustomer ObstacleKind = "same-customer" // a rule that does not stand after it names the same customer
)

// Obstacles are what may change, from a moment on, the price of a rule that is meant to fix it, on some of its goods;
// none for other rules, nor for nil. A rule whose code is that which the rule replaces does not count.
func Obstacles(e *pricing.Engine, rule *pricing.Rule, replaces string, now pricing.Moment) []Obstacle {
	list := []Obstacle{}
	if rule == nil || !rule.Fixes() {
		return list
	}
	e = e.At(now)
	b, goods := e.Book(), e.Match(&rule.Where)
	meets := func(r *pricing.Rule) (meets bool) {
		e.Match(&r.Where).Each(func(p int32) bool { meets = goods.Has(p); return !meets })
		return meets
	}
	place := func(l pricing.Layer) int {
		return slices.IndexFunc(b.Settings.Layers, func(s pricing.LayerSetting) bool { return s.Layer == l })
	}
	own := place(rule.Layer)
	for i, l := range b.Settings.Layers {
		if i < own && l.EndPrice {
			list = append(list, Obstacle{Kind: LayerEnds, Layer: l.Layer.String()})
		}
		if i == own && l.Mode != pricing.First {
			list = append(list, Obstacle{Kind: OtherMode, Layer: l.Layer.String()})
		}
	}
	for i := range b.Rules {
		r := &b.Rules[i]
		if r.Code == rule.Code || r.Code == replaces || r.Status != pricing.On || r.Offer != nil || r.Order != nil {
			continue
		}
		kind := ObstacleKind("")
		switch {
		case place(r.Layer) < own && r.Then == pricing.EndPrice:
			kind = RuleEnds
		case r.Layer == rule.Layer && r.Rank <= rule.Rank && r.Audience != nil &&
			slices.ContainsFunc(r.Audience.Customers, func(c string) bool {
				return slices.Contains(rule.Audience.Customers, c)
			}):
			kind = SameCustomer
		}
		if kind != "" && comes(b, r, now) && meets(r) {
			mark := board.MarkOf(r)
			list = append(list, Obstacle{kind, r.Layer.String(), &mark})
		}
	}
	return list
}

// comes says whether a rule that is on, with its campaign, is open at a moment or at a later one.
func comes(b *pricing.Book, r *pricing.Rule, now pricing.Moment) bool {
	windows, campaign := timeline.Windows(b, r)
	_, opens := pricing.NextOpen(windows, now)
	return opens && (campaign == nil || campaign.Status == pricing.On)
}
