package server

import (
	"cmp"
	"context"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/timeline"
)

// PriceDetail is one product's price with its whole trail.
type PriceDetail struct {
	Product ProductDetail        `json:"product"`
	Answer  bookfile.PriceAnswer `json:"answer"`
	Rules   []board.RuleMark     `json:"rules" doc:"names of the rules in the trail"`
	Tags    LiveTags             `json:"liveTags"`
	Lowest  *string              `json:"lowest" doc:"the lowest permitted price, rounded up"`
	Shown   []ChannelPrice       `json:"shown" doc:"what the channels show"`
	Reduced *ReducedFrom         `json:"reduced,omitempty" doc:"what the channel shows guests the price as reduced from"`
	At      string               `json:"at"`
	WhyNot
}

// ReducedFrom is what a price is shown as reduced from.
type ReducedFrom struct {
	Price string `json:"price"`
	Kind  string `json:"kind" enum:"lowest30,catalog,list,rrp"`
}

// WhyNot is more about rules that did not apply.
type WhyNot struct {
	Unmet map[string][]Unmet `json:"unmet" doc:"what the audiences of rules want that the viewpoint does not say, by their codes"`
	Opens map[string]string  `json:"opens" doc:"when rules that did not apply for their times open next, by their codes; a rule that does not open any more is not among them"`
}

func newWhyNot() WhyNot { return WhyNot{Unmet: map[string][]Unmet{}, Opens: map[string]string{}} }

// note says more about a rule that did not apply for a reason, where there is more to say.
func (w *WhyNot) note(snap *book.Snapshot, vp pricing.Viewpoint, code string, reason pricing.Reason) error {
	r := snap.Rule(code)
	if r == nil {
		return nil
	}
	windows, campaign := timeline.Windows(snap.Book, r)
	switch reason {
	case pricing.OtherAudience:
		unmet, err := unmetOf(snap.Engine, vp, r.Audience)
		if err == nil && campaign != nil {
			var more []Unmet
			more, err = unmetOf(snap.Engine, vp, campaign.Audience)
			unmet = append(unmet, more...)
		}
		if err != nil {
			return err
		}
		w.Unmet[code] = unmet
	case pricing.NotYet, pricing.OutsideHours:
		if opens, found := pricing.NextOpen(windows, vp.At); found {
			w.Opens[code] = opens.String()
		}
	}
	return nil
}

// Unmet is a condition of an audience that a viewpoint does not meet.
type Unmet struct {
	Condition string   `json:"condition" enum:"who,country,first-order,signed-in,attr"`
	Attr      string   `json:"attr,omitempty" doc:"with attr: its name"`
	Wanted    []string `json:"wanted" doc:"what would meet it, any of: group:CODE and customer:CODE, countries, values of the attribute, or yes or no"`
}

// unmetOf are the conditions of an audience that a viewpoint does not meet.
func unmetOf(e *pricing.Engine, vp pricing.Viewpoint, a *pricing.Audience) ([]Unmet, error) {
	found, err := e.Unmet(vp, a)
	var list []Unmet
	for _, u := range found {
		one := Unmet{Condition: string(u.Condition), Attr: u.Attr, Wanted: []string{}}
		yesNo := map[bool]string{true: "yes", false: "no"}
		switch u.Condition {
		case pricing.ByWho:
			for _, g := range a.Groups {
				one.Wanted = append(one.Wanted, "group:"+g)
			}
			for _, c := range a.Customers {
				one.Wanted = append(one.Wanted, "customer:"+c)
			}
		case pricing.ByCountry:
			one.Wanted = append(one.Wanted, a.Countries...)
		case pricing.ByFirstOrder:
			one.Wanted = append(one.Wanted, yesNo[*a.FirstOrder])
		case pricing.BySignedIn:
			one.Wanted = append(one.Wanted, yesNo[*a.SignedIn])
		case pricing.ByAttr:
			one.Wanted = append(one.Wanted, a.CustomerAttr[u.Attr]...)
		}
		list = append(list, one)
	}
	return list, err
}

// LiveTags are what the rules at work publish with a product: tags put on it, and of its own ones taken off.
type LiveTags struct {
	Add    []string `json:"add"`
	Remove []string `json:"remove"`
}

func liveTags(rules []*pricing.Rule) LiveTags {
	t := pricing.LiveTagsOf(rules)
	return LiveTags{append([]string{}, t.Add...), append([]string{}, t.Remove...)}
}

// ProductDetail is a product as it is kept.
type ProductDetail struct {
	SKU      string   `json:"sku"`
	Name     string   `json:"name"`
	Category string   `json:"category"`
	Brand    string   `json:"brand"`
	Supplier string   `json:"supplier"`
	Tags     []string `json:"tags"`
	Stock    *string  `json:"stock"`
	Sold     *string  `json:"sold" doc:"units in the last 30 days"`

	OnRequest bool        `json:"onRequest,omitempty" doc:"it has no price, whatever rules say"`
	Figures   []FigureNow `json:"figures,omitempty" doc:"list price and cost, where later ones are said"`
	Tax       *TaxHere    `json:"tax,omitempty" doc:"where that of the channel's country is another than the book's"`
}

// FigureNow says since when a figure holds and what comes next, in the book's currency.
type FigureNow struct {
	Figure string `json:"figure" enum:"list,cost"`
	Since  string `json:"since,omitempty" doc:"absent: the product's own, or none"`
	Next   string `json:"next,omitempty" doc:"when it will be another"`
	Then   string `json:"then,omitempty" doc:"and what"`
}

// TaxHere is what a channel's country takes.
type TaxHere struct {
	Country string `json:"country"`
	Percent string `json:"percent"`
	Keeps   string `json:"keeps" enum:"price,net"`
}

// figuresNow are the figures of which later ones are said.
func figuresNow(p *pricing.Product, at pricing.Moment) (list []FigureNow) {
	for _, which := range []pricing.Figure{pricing.ListFigure, pricing.CostFigure} {
		one := FigureNow{Figure: string(which)}
		if since, later := p.Since(which, at); later {
			one.Since = since.String()
		}
		if next, amount := p.Next(which, at); amount != nil {
			one.Next, one.Then = next.String(), bookfile.Amount(*amount)
		}
		if one.Since != "" || one.Next != "" {
			list = append(list, one)
		}
	}
	return list
}

// taxHere is the tax of a product in a channel's country; nil where it is the book's.
func taxHere(b *pricing.Book, channel string, p *pricing.Product) *TaxHere {
	for i := range b.Channels {
		c := &b.Channels[i]
		own, other := b.Settings.Countries[c.Country].TaxRates[p.TaxClass]
		if c.Code != channel || !other || own.Equal(b.Settings.TaxRates[p.TaxClass]) {
			continue
		}
		keeps := "price"
		if c.KeepsNet {
			keeps = "net"
		}
		return &TaxHere{c.Country, own.String(), keeps}
	}
	return nil
}

// ChannelPrice is what a channel shows and since when.
type ChannelPrice struct {
	Channel   string  `json:"channel"`
	Name      string  `json:"name"`
	Price     *string `json:"price"`
	Reference *string `json:"reference"`
	Currency  string  `json:"currency"`
	Since     string  `json:"since"`
}

// Outlook is one product's price seen from elsewhere: for every group and quantity, over the time ahead, and what was
// published before.
type Outlook struct {
	Quantities []int         `json:"quantities"`
	Rows       []OutlookRow  `json:"rows"`
	Over       []PriceAt     `json:"over" doc:"the price from each moment on at which it changes"`
	To         string        `json:"to"`
	Lowest30   *LowestPrice  `json:"lowest30" doc:"the lowest price that the channel showed in the last 30 days"`
	Currency   string        `json:"currency"`
	Cost       *string       `json:"cost" doc:"on the price's footing"`
	Rules      []ReachedRule `json:"rules" doc:"every rule whose selection holds the product"`
}

// OutlookRow is the prices of one group by quantity.
type OutlookRow struct {
	Who    string    `json:"who"`
	Name   string    `json:"name"`
	Prices []*string `json:"prices"`
}

// PriceAt is a price from a moment on.
type PriceAt struct {
	At    string  `json:"at"`
	Price *string `json:"price"`
}

// LowestPrice is a published price with the time from which it was shown.
type LowestPrice struct {
	Price string `json:"price"`
	From  string `json:"from"`
}

// ReachedRule is a rule that selects a product.
type ReachedRule struct {
	board.RuleMark
	State string `json:"state" doc:"at the present, as in the list of rules"`
	Next  string `json:"next,omitempty" doc:"when it opens, or shuts where it is on"`
}

const outlookQuantities = 7

// PriceCourse is one product's price over a span: as it was published, and as the book says it will be.
type PriceCourse struct {
	Currency  string    `json:"currency"`
	Published []PriceAt `json:"published" doc:"what the channel showed, up to now"`
	Planned   []PriceAt `json:"planned" doc:"what the book says, over the whole span"`
	Lowest    []PriceAt `json:"lowest" doc:"the lowest price of the 30 days before each moment: published up to now, planned from then on"`
	Cost      *string   `json:"cost" doc:"on the price's footing"`
}

// SKUQuery asks for one product from a viewpoint.
type SKUQuery struct {
	ViewpointQuery
	SKU string `query:"sku" required:"true"`
}

// CourseQuery asks for one product's price over a span.
type CourseQuery struct {
	SKUQuery
	From string `query:"from" required:"true"`
	To   string `query:"to" required:"true"`
}

func (s *Server) registerPrices(api huma.API) {
	get(api, "/api/price", s.price)
	get(api, "/api/outlook", s.outlook)
	get(api, "/api/price-course", s.priceCourse)
}

func (s *Server) price(ctx context.Context, in *SKUQuery) (PriceDetail, error) {
	snap := s.Live.Current()
	vp, err := in.read(ctx, s, snap)
	if err != nil {
		return PriceDetail{}, err
	}
	a, err := snap.Engine.Price(pricing.Question{Viewpoint: vp, SKU: in.SKU})
	if err != nil {
		return PriceDetail{}, err
	}
	n, _ := snap.Engine.ProductNumber(in.SKU)
	p := snap.Engine.Products()[n]
	out := PriceDetail{Answer: *bookfile.Answer(a), Rules: []board.RuleMark{}, Shown: []ChannelPrice{},
		At: vp.At.String(), WhyNot: newWhyNot(),
		Product: ProductDetail{SKU: p.SKU, Name: p.Name, Category: p.Category, Brand: p.Brand, Supplier: p.Supplier,
			Tags: append([]string{}, p.Tags...), OnRequest: p.OnRequest, Figures: figuresNow(p, vp.At),
			Tax: taxHere(snap.Book, vp.Channel, p)}}
	for _, m := range a.Portions[0].Trail.Missed {
		if err := out.WhyNot.note(snap, vp, m.Rule, m.Reason); err != nil {
			return PriceDetail{}, err
		}
	}
	sw, err := s.boards.Sweeps.Of(snap, vp)
	if err != nil {
		return out, err
	}
	out.Tags = liveTags(sw.Rules(n))
	lowest := sw.Row(n).Lowest
	out.Lowest = board.Minor(lowest, lowest > 0, sw.Digits)
	references, err := s.references(ctx, snap, vp, []int32{n})
	if err != nil {
		return out, err
	}
	if r, is := references[n]; is {
		out.Reduced = &ReducedFrom{r.Reference.Fixed(sw.Digits), string(r.Kind)}
	}
	out.Product.Stock, out.Product.Sold = board.Plain(p.Stock), board.Plain(p.Sold)
	for i := range snap.Book.Rules {
		r := &snap.Book.Rules[i]
		out.Rules = append(out.Rules, board.MarkOf(r))
	}
	for _, c := range snap.Book.Channels {
		shown, err := s.Desk.Shown(ctx, c.Code)
		if err != nil {
			return out, err
		}
		cp := ChannelPrice{Channel: c.Code, Name: c.Name, Currency: cmp.Or(c.Currency, snap.Book.Settings.Currency)}
		if was, known := shown[in.SKU]; known {
			digits, _ := money.Digits(was.Currency)
			price := was.Price.Fixed(digits)
			cp.Price, cp.Since, cp.Currency = &price, s.wall(was.From), was.Currency
			if was.Reference != nil {
				ref := was.Reference.Fixed(digits)
				cp.Reference = &ref
			}
		}
		out.Shown = append(out.Shown, cp)
	}
	return out, nil
}
func (s *Server) outlook(ctx context.Context, in *SKUQuery) (Outlook, error) {
	snap := s.Live.Current()
	out := Outlook{Rows: []OutlookRow{}, Over: []PriceAt{}, Rules: []ReachedRule{}}
	vp, err := in.read(ctx, s, snap)
	if err != nil {
		return out, err
	}
	all := snap.Book.Quantities()
	out.Quantities = all[:min(len(all), outlookQuantities)]
	if !slices.Contains(out.Quantities, vp.Quantity) {
		out.Quantities = append(slices.Clone(out.Quantities), vp.Quantity)
		slices.Sort(out.Quantities)
	}
	o, err := timeline.OutlookOf(snap.Engine, vp, in.SKU, out.Quantities)
	if err != nil {
		return out, err
	}
	out.Currency, out.To, out.Over = o.Currency, o.To.String(), pricesAt(o.Over, o.Digits, 1)
	for _, r := range o.Rows {
		row := OutlookRow{Name: r.Name, Prices: []*string{}}
		switch {
		case r.Group != "":
			row.Who = "group:" + r.Group
		case r.Customer != "":
			row.Who = "customer:" + r.Customer
		}
		for _, price := range r.Prices {
			row.Prices = append(row.Prices, fixed(price, o.Digits))
		}
		out.Rows = append(out.Rows, row)
	}
	for _, r := range o.Rules {
		state, next := standing(snap, r, s.moment(snap))
		out.Rules = append(out.Rules, ReachedRule{board.MarkOf(r), state, next})
	}
	if out.Cost, err = s.costSeen(snap, vp, in.SKU); err != nil {
		return out, err
	}
	if vp.Channel == "" {
		return out, nil
	}
	history, err := s.Store.PriceHistory(ctx, vp.Channel, in.SKU)
	if err != nil {
		return out, err
	}
	since := s.Clocks.Book().AddDate(0, 0, -30)
	var lowest *money.Rat
	for _, h := range history {
		if h.Price == nil || h.Until != nil && h.Until.Before(since) || lowest != nil && !h.Price.Less(*lowest) {
			continue
		}
		lowest = h.Price
		digits, _ := money.Digits(h.Currency)
		out.Lowest30 = &LowestPrice{h.Price.Fixed(digits), s.wall(h.From)}
	}
	return out, nil
}
func (s *Server) priceCourse(ctx context.Context, in *CourseQuery) (PriceCourse, error) {
	out := PriceCourse{}
	from, to, err := spanOf(in.From, in.To)
	if err != nil {
		return out, err
	}
	snap := s.Live.Current()
	vp, err := in.read(ctx, s, snap)
	if err != nil {
		return out, err
	}
	var shown []timeline.Shown
	if vp.Channel != "" {
		history, err := s.Store.PriceHistory(ctx, vp.Channel, in.SKU)
		if err != nil {
			return out, err
		}
		for _, h := range history {
			one := timeline.Shown{From: pricing.MomentOf(h.From.In(snap.Zone)), Price: h.Price}
			if h.Until != nil {
				until := pricing.MomentOf(h.Until.In(snap.Zone))
				one.Until = &until
			}
			shown = append(shown, one)
		}
	}
	c, err := timeline.CourseOf(snap.Engine, vp, in.SKU, s.moment(snap), from, to, shown)
	if err != nil {
		return out, err
	}
	out = PriceCourse{Currency: c.Currency, Published: pricesAt(c.Published, c.Digits, pricing.Minute),
		Planned: pricesAt(c.Planned, c.Digits, 1), Lowest: pricesAt(c.Lowest, c.Digits, pricing.Minute)}
	out.Cost, err = s.costSeen(snap, vp, in.SKU)
	return out, err
}

// costSeen is a product's cost on the footing of its price from a viewpoint; nil where it is unknown.
func (s *Server) costSeen(snap *book.Snapshot, vp pricing.Viewpoint, sku string) (*string, error) {
	number, exists := snap.Engine.ProductNumber(sku)
	if !exists {
		return nil, nil
	}
	sw, err := s.boards.Sweeps.Of(snap, vp)
	if err != nil {
		return nil, err
	}
	r := sw.Row(number)
	return board.Minor(r.Cost, r.HasCost, sw.Digits), nil
}

// pricesAt writes prices with the moments from which they hold, moments cut to a step.
func pricesAt(list []timeline.PriceFrom, digits int, step pricing.Moment) []PriceAt {
	all := []PriceAt{}
	for _, p := range list {
		all = append(all, PriceAt{(p.At - p.At%step).String(), fixed(p.Price, digits)})
	}
	return all
}
