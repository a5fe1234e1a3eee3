package pricing

import (
	"fmt"
	"slices"

	"dogbane/internal/money"
)

// MaxQuantity is the most units that a price question may ask for.
const MaxQuantity = 1_000_000

// view is a viewpoint resolved against an engine. It belongs to one goroutine.
type view struct {
	*Engine
	at          Moment
	quantity    int
	term        int
	visitor     visitor
	history     []Purchase
	channel     *Channel // nil: none
	listed      Set      // nil: everything
	currency    string
	digits      int
	rate        money.Rat   // book currency to the channel's
	same        bool        // the rate is 1
	rated       bool        // the rate is known
	bookTax     bool        // the book's prices include tax
	showTax     bool        // the channel's do
	here        []money.Rat // 1 + the tax rate in the channel's country, by class
	keepsNet    bool        // a price with tax keeps its net where the country's tax is another
	catalogOnly bool        // the price after the catalog layer is asked for, without ending and guard
	withEnding  bool        // with catalogOnly: but with the ending
	lastUnit    bool        // the price of a line's last unit is asked for, not what one costs on average
	with        map[string]bool
	blocked     []Reason  // why each rule takes no part, whatever the product
	active      [][]*rule // by layer: the rules that take part

	nets  map[int32]optional // prices of other products that prices were derived from
	alone map[int32]optional // prices after the catalog layer at quantity 1
	*workings
	*basket // nil: a product is asked for alone
}

// workings are shared by the views of one question while it is answered.
type workings struct {
	path     []int32 // the products whose prices are being worked out
	deriving []*rule // the rules that derive them from one another
	cut      int     // the place in path of the outermost product at which a circle was closed; noCut: none was
	onCircle func(rules []*rule)
}

// optional is a number that may be missing.
type optional struct {
	v  money.Rat
	ok bool
}

func some(v money.Rat) optional { return optional{v, true} }

func (o optional) ptr() *money.Rat {
	if !o.ok {
		return nil
	}
	v := o.v
	return &v
}

// look resolves a viewpoint and the rules that take part there.
func (e *Engine) look(vp Viewpoint) (*view, error) {
	v, err := e.resolve(vp)
	if err != nil {
		return nil, err
	}
	blocked := make([]Reason, len(v.rules))
	for i, r := range v.rules {
		if r != nil {
			blocked[i] = v.bars(r.Rule, r.campaign, v.at, v.at)
		}
	}
	v.block(blocked)
	return v, nil
}

// resolve is a viewpoint without rules.
func (e *Engine) resolve(vp Viewpoint) (*view, error) {
	e = e.At(vp.At)
	s := e.settings
	v := &view{Engine: e, at: vp.At, workings: &workings{cut: noCut}, quantity: max(vp.Quantity, 1), term: max(vp.Term, 1),
		history:  vp.History,
		here:     e.taxes,
		currency: s.Currency, bookTax: s.PricesIncludeTax, showTax: s.PricesIncludeTax}
	if vp.Quantity < 0 || vp.Quantity > MaxQuantity {
		return nil, &QuestionError{"quantity", fmt.Sprintf("must be from 1 to %d", MaxQuantity)}
	}
	var err error
	if v.visitor, err = e.visitorOf(vp); err != nil {
		return nil, err
	}
	if vp.Channel != "" {
		c := e.channels[vp.Channel]
		v.channel, v.listed = c, e.listed[c.Code]
		if c.Currency != "" {
			v.currency = c.Currency
		}
		if c.TaxExcluded != nil {
			v.showTax = !*c.TaxExcluded
		}
		if there, own := e.taxesIn[c.Country]; own {
			v.here, v.keepsNet = there, c.KeepsNet
		}
	}
	v.digits, _ = money.Digits(v.currency)
	v.same = v.currency == s.Currency
	v.rate, v.rated = s.Rates[v.currency]
	if v.same {
		v.rate, v.rated = money.Int(1), true
	}
	v.rate = v.rate.Reduce()
	v.with = map[string]bool{}
	for _, code := range vp.With {
		if !e.codes[code] {
			return nil, unknown("with", "rule or campaign", code)
		}
		v.with[code] = true
	}
	return v, nil
}

// inEra has the figures of another era hold.
func (v *view) inEra(then *Engine) {
	if v.Engine = then; v.channel != nil {
		v.listed = then.listed[v.channel.Code]
	}
}

// block sets which rules take part.
func (v *view) block(reasons []Reason) {
	v.blocked, v.active = reasons, make([][]*rule, len(v.layers))
	for i := range v.layers {
		for _, r := range v.layers[i].rules {
			if reasons[r.ordinal] == "" {
				v.active[i] = append(v.active[i], r)
			}
		}
	}
}

// bars is the first reason that keeps a rule, within its campaign, from taking part at all, or "".
func (v *view) bars(r *Rule, c *Campaign, at, clock Moment) Reason {
	if reason := v.keepsOut(r, c); reason != "" {
		return reason
	}
	// The order of the reasons holds for rule and campaign together: not yet, ended, hours.
	reason := r.Window.test(at, clock)
	if c != nil {
		switch other := c.Window.test(at, clock); {
		case reason == NotYet || other == NotYet:
			return NotYet
		case reason == Ended || other == Ended:
			return Ended
		case reason == "":
			return other
		}
	}
	return reason
}

// keepsOut is bars without the windows.
func (v *view) keepsOut(r *Rule, c *Campaign) Reason {
	if r.Status != On && !v.with[r.Code] || c != nil && c.Status != On && !v.with[c.Code] {
		return SwitchedOff
	}
	if r.Currency != "" && r.Currency != v.currency {
		return OtherCurrency
	}
	if !v.inChannels(r.Channels) || c != nil && !v.inChannels(c.Channels) {
		return OtherChannel
	}
	if !r.Audience.admits(&v.visitor) || c != nil && !c.Audience.admits(&v.visitor) {
		return OtherAudience
	}
	return ""
}

func (v *view) inChannels(codes []string) bool {
	return codes == nil || v.channel != nil && slices.Contains(codes, v.channel.Code)
}

// own is the view for another goroutine.
func (v *view) own() *view {
	c := *v
	c.nets, c.workings, c.alone = nil, &workings{cut: noCut}, nil
	return &c
}

func (v *view) lastLayer() int {
	if v.catalogOnly {
		return 1
	}
	return LayerCount
}
