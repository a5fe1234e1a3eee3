package server

import (
	"cmp"
	"context"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
	"dogbane/internal/timeline"
)

// Calendar is the windows of rules and campaigns over a span.
type Calendar struct {
	From      string          `json:"from"`
	To        string          `json:"to"`
	Now       string          `json:"now"`
	Campaigns []CalendarBar   `json:"campaigns"`
	Bars      []CalendarBar   `json:"bars" doc:"rules that have a window or a campaign, by layer, rank and code"`
	Always    int             `json:"always" doc:"rules that are on without a window, which are not among them"`
	Fights    []CalendarFight `json:"fights"`
	Week      []CalendarEvent `json:"week" doc:"what starts and ends in the seven days from now"`
}

// CalendarBar is the window of a rule or a campaign.
type CalendarBar struct {
	Code     string         `json:"code"`
	Name     string         `json:"name"`
	Layer    string         `json:"layer,omitempty" doc:"of a rule"`
	Status   string         `json:"status" enum:"on,off,draft"`
	Campaign string         `json:"campaign,omitempty"`
	From     string         `json:"from,omitempty" doc:"of its own window; empty: open"`
	To       string         `json:"to,omitempty" doc:"exclusive"`
	Pattern  bool           `json:"pattern" doc:"weekdays, hours or weekly or yearly spans narrow it"`
	Spans    []CalendarSpan `json:"spans" doc:"when it is open within the calendar's span, with its campaign"`
	ETag     string         `json:"etag"`
	Doc      ItemDoc        `json:"doc"`
}

// CalendarSpan is a stretch of time, to exclusive.
type CalendarSpan struct {
	From string `json:"from"`
	To   string `json:"to"`
}

// CalendarFight is two rules of one rank that want the same goods at the same time, in a layer whose first rule is used.
type CalendarFight struct {
	A     string         `json:"a"`
	B     string         `json:"b"`
	Layer string         `json:"layer"`
	Goods int            `json:"goods" doc:"products that both select"`
	Spans []CalendarSpan `json:"spans"`
}

// CalendarEvent is a start or an end.
type CalendarEvent struct {
	At       string `json:"at"`
	What     string `json:"what" enum:"starts,ends"`
	Campaign bool   `json:"campaign"`
	Code     string `json:"code"`
	Name     string `json:"name"`
	Layer    string `json:"layer,omitempty"`
	Reach    int    `json:"reach"`
}

// PriceCourse is one product's price over a span: as it was published, and as the book says it will be.
type PriceCourse struct {
	Currency  string    `json:"currency"`
	Published []PriceAt `json:"published" doc:"what the channel showed, up to now"`
	Planned   []PriceAt `json:"planned" doc:"what the book says, over the whole span"`
	Lowest    []PriceAt `json:"lowest" doc:"the lowest price of the 30 days before each moment: published up to now, planned from then on"`
	Cost      *string   `json:"cost" doc:"on the price's footing"`
}

const longestSpan = 400 * pricing.Day

func (s *Server) registerCalendar(api huma.API) {
	huma.Get(api, "/api/calendar", func(_ context.Context, in *struct {
		From string `query:"from" required:"true"`
		To   string `query:"to" required:"true"`
	}) (*body[Calendar], error) {
		return answer(s.calendar(in.From, in.To))
	})
	huma.Get(api, "/api/price-course", func(ctx context.Context, in *struct {
		ViewpointQuery
		SKU  string `query:"sku" required:"true"`
		From string `query:"from" required:"true"`
		To   string `query:"to" required:"true"`
	}) (*body[PriceCourse], error) {
		return answer(s.priceCourse(ctx, &in.ViewpointQuery, in.SKU, in.From, in.To))
	})
}

func spanOf(from, to string) (pricing.Moment, pricing.Moment, error) {
	a, err := pricing.ParseMoment(from)
	if err != nil {
		return 0, 0, invalid("from", err.Error())
	}
	b, err := pricing.ParseMoment(to)
	switch {
	case err != nil:
		return 0, 0, invalid("to", err.Error())
	case b <= a:
		return 0, 0, invalid("to", "The span ends where or before it starts.")
	case b-a > longestSpan:
		return 0, 0, invalid("to", "A calendar shows at most 400 days.")
	}
	return a, b, nil
}

func written(spans []pricing.Span) []CalendarSpan {
	out := []CalendarSpan{}
	for _, s := range spans {
		out = append(out, CalendarSpan{s.From.String(), s.To.String()})
	}
	return out
}

func windowBar(w *pricing.Window) (from, to string, pattern bool) {
	if w == nil {
		return "", "", false
	}
	if w.From != nil {
		from = w.From.String()
	}
	if w.To != nil {
		to = w.To.String()
	}
	return from, to, w.Days != nil || w.Hours != nil || w.Weekly != nil || w.Yearly != nil
}

func (s *Server) calendar(fromText, toText string) (Calendar, error) {
	from, to, err := spanOf(fromText, toText)
	if err != nil {
		return Calendar{}, err
	}
	snap := s.live.Current()
	now := s.moment(snap)
	c := timeline.CalendarOf(snap.Engine, now, from, to)
	out := Calendar{From: from.String(), To: to.String(), Now: now.String(), Campaigns: []CalendarBar{}, Bars: []CalendarBar{}, Always: c.Always,
		Fights: []CalendarFight{}, Week: []CalendarEvent{}}
	for _, b := range c.Campaigns {
		doc := snap.Doc(store.Campaigns, b.Campaign.Code)
		bar := CalendarBar{Code: b.Campaign.Code, Name: campaignTitle(b.Campaign), Status: string(b.Campaign.Status), Spans: written(b.Spans), ETag: etag(doc), Doc: ItemDoc(doc)}
		bar.From, bar.To, bar.Pattern = windowBar(b.Campaign.Window)
		out.Campaigns = append(out.Campaigns, bar)
	}
	for _, b := range c.Rules {
		doc := bookfile.EncodeRule(b.Rule)
		bar := CalendarBar{Code: b.Rule.Code, Name: title(b.Rule), Layer: b.Rule.Layer.String(), Status: string(b.Rule.Status), Campaign: b.Rule.Campaign, Spans: written(b.Spans), ETag: etag(doc), Doc: ItemDoc(doc)}
		bar.From, bar.To, bar.Pattern = windowBar(b.Rule.Window)
		out.Bars = append(out.Bars, bar)
	}
	for _, f := range c.Fights {
		out.Fights = append(out.Fights, CalendarFight{f.A.Code, f.B.Code, f.A.Layer.String(), f.Goods, written(f.Spans)})
	}
	for _, e := range c.Week {
		one := CalendarEvent{At: e.At.String(), What: "ends", Reach: e.Reach}
		if e.Starts {
			one.What = "starts"
		}
		if e.Rule != nil {
			one.Code, one.Name, one.Layer = e.Rule.Code, title(e.Rule), e.Rule.Layer.String()
		} else {
			one.Campaign, one.Code, one.Name = true, e.Campaign.Code, campaignTitle(e.Campaign)
		}
		out.Week = append(out.Week, one)
	}
	return out, nil
}

func campaignTitle(c *pricing.Campaign) string { return cmp.Or(c.Name, c.Code) }

func (s *Server) priceCourse(ctx context.Context, in *ViewpointQuery, sku, fromText, toText string) (PriceCourse, error) {
	out := PriceCourse{}
	from, to, err := spanOf(fromText, toText)
	if err != nil {
		return out, err
	}
	snap := s.live.Current()
	vp, err := in.viewpoint(s, snap)
	if err != nil {
		return out, err
	}
	var shown []timeline.Shown
	if vp.Channel != "" {
		history, err := s.store.PriceHistory(ctx, vp.Channel, sku)
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
	c, err := timeline.CourseOf(snap.Engine, vp, sku, s.moment(snap), from, to, shown)
	if err != nil {
		return out, err
	}
	out = PriceCourse{Currency: c.Currency, Published: pricesAt(c.Published, c.Digits, pricing.Minute),
		Planned: pricesAt(c.Planned, c.Digits, 1), Lowest: pricesAt(c.Lowest, c.Digits, pricing.Minute)}
	out.Cost, err = s.costSeen(snap, vp, sku)
	return out, err
}

// costSeen is a product's cost on the footing of its price from a viewpoint; nil where it is unknown.
func (s *Server) costSeen(snap *store.Snapshot, vp pricing.Viewpoint, sku string) (*string, error) {
	number, exists := snap.Engine.ProductNumber(sku)
	if !exists {
		return nil, nil
	}
	sw, err := s.sweep(snap, vp)
	if err != nil {
		return nil, err
	}
	r := sw.Row(number)
	return minor(r.Cost, r.HasCost, sw.Digits), nil
}

// pricesAt writes prices with the moments from which they hold, moments cut to a step.
func pricesAt(list []timeline.PriceFrom, digits int, step pricing.Moment) []PriceAt {
	all := []PriceAt{}
	for _, p := range list {
		all = append(all, PriceAt{(p.At - p.At%step).String(), fixed(p.Price, digits)})
	}
	return all
}
