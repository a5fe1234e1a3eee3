package server

import (
	"cmp"
	"context"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/store"
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

const (
	barSpans      = 500
	longestSpan   = 400 * pricing.Day
	plannedPoints = 500
)

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
	b, now := snap.Book, s.moment(snap)
	out := Calendar{From: from.String(), To: to.String(), Now: now.String(), Campaigns: []CalendarBar{}, Bars: []CalendarBar{}, Fights: []CalendarFight{}, Week: []CalendarEvent{}}
	campaigns := map[string]*pricing.Campaign{}
	event := func(one CalendarEvent, windows []*pricing.Window) {
		spans, _ := pricing.OpenSpans(windows, now-pricing.Day, now+8*pricing.Day, barSpans)
		for _, span := range spans {
			for _, end := range []struct {
				at   pricing.Moment
				what string
			}{{span.From, "starts"}, {span.To, "ends"}} {
				if end.at >= now && end.at < now+7*pricing.Day {
					one.At, one.What = end.at.String(), end.what
					out.Week = append(out.Week, one)
				}
			}
		}
	}
	for i := range b.Campaigns {
		c := &b.Campaigns[i]
		campaigns[c.Code] = c
		doc := snap.Doc(store.Campaigns, c.Code)
		bar := CalendarBar{Code: c.Code, Name: cmp.Or(c.Name, c.Code), Status: string(c.Status), ETag: etag(doc), Doc: ItemDoc(doc)}
		bar.From, bar.To, bar.Pattern = windowBar(c.Window)
		spans, _ := pricing.OpenSpans([]*pricing.Window{c.Window}, from, to, barSpans)
		bar.Spans = written(spans)
		out.Campaigns = append(out.Campaigns, bar)
		if c.Status == pricing.On && c.Window != nil {
			event(CalendarEvent{Campaign: true, Code: c.Code, Name: bar.Name}, []*pricing.Window{c.Window})
		}
	}
	type placed struct {
		rule  *pricing.Rule
		spans []pricing.Span
	}
	var on []placed // rules that take part at some moment of the span
	position := layerPositions(b)
	rules := make([]*pricing.Rule, len(b.Rules))
	for i := range b.Rules {
		rules[i] = &b.Rules[i]
	}
	slices.SortFunc(rules, func(a, b *pricing.Rule) int {
		return cmp.Or(cmp.Compare(position[a.Layer], position[b.Layer]), cmp.Compare(a.Rank, b.Rank), cmp.Compare(a.Code, b.Code))
	})
	for _, r := range rules {
		windows, status := []*pricing.Window{r.Window}, r.Status
		if c := campaigns[r.Campaign]; c != nil {
			windows = append(windows, c.Window)
			if c.Status != pricing.On {
				status = c.Status
			}
		}
		spans, _ := pricing.OpenSpans(windows, from, to, barSpans)
		if status == pricing.On && len(spans) > 0 {
			on = append(on, placed{r, spans})
		}
		if r.Window == nil && r.Campaign == "" {
			if r.Status == pricing.On {
				out.Always++
			}
			continue
		}
		doc := bookfile.EncodeRule(r)
		bar := CalendarBar{Code: r.Code, Name: title(r), Layer: r.Layer.String(), Status: string(r.Status), Campaign: r.Campaign, Spans: written(spans), ETag: etag(doc), Doc: ItemDoc(doc)}
		bar.From, bar.To, bar.Pattern = windowBar(r.Window)
		out.Bars = append(out.Bars, bar)
		if status == pricing.On {
			one := CalendarEvent{Code: r.Code, Name: bar.Name, Layer: bar.Layer}
			one.Reach, _ = snap.Engine.Reach(r.Code)
			event(one, windows)
		}
	}
	firsts := map[pricing.Layer]bool{}
	for _, l := range b.Settings.Layers {
		firsts[l.Layer] = l.Mode == pricing.First
	}
	for i, a := range on {
		for _, c := range on[i+1:] {
			if a.rule.Layer != c.rule.Layer || a.rule.Rank != c.rule.Rank || !firsts[a.rule.Layer] || !meet(a.rule.Channels, c.rule.Channels) || !sameBuyers(a.rule.Audience, c.rule.Audience) {
				continue
			}
			shared := pricing.Overlap(a.spans, c.spans)
			if len(shared) == 0 {
				continue
			}
			goods, other := 0, snap.Engine.Match(&c.rule.Where)
			snap.Engine.Match(&a.rule.Where).Each(func(p int32) bool {
				if other.Has(p) {
					goods++
				}
				return true
			})
			if goods > 0 {
				out.Fights = append(out.Fights, CalendarFight{a.rule.Code, c.rule.Code, a.rule.Layer.String(), goods, written(shared)})
			}
		}
	}
	slices.SortStableFunc(out.Week, func(a, b CalendarEvent) int { return cmp.Compare(a.At, b.At) })
	return out, nil
}

func layerPositions(b *pricing.Book) map[pricing.Layer]int {
	position := map[pricing.Layer]int{}
	for i, l := range b.Settings.Layers {
		position[l.Layer] = i
	}
	return position
}

// meet reports whether two lists, where nil is everything, have something in common.
func meet(a, b []string) bool {
	return a == nil || b == nil || slices.ContainsFunc(a, func(x string) bool { return slices.Contains(b, x) })
}

// sameBuyers reports whether somebody may belong to two audiences. Customers of groups are not looked up: two groups
// may share one.
func sameBuyers(a, b *pricing.Audience) bool {
	if a == nil || b == nil {
		return true
	}
	only := func(x *pricing.Audience) bool { return len(x.Groups) == 0 && len(x.Customers) > 0 }
	if only(a) && only(b) {
		return meet(a.Customers, b.Customers)
	}
	return (a.FirstOrder == nil || b.FirstOrder == nil || *a.FirstOrder == *b.FirstOrder) && (len(a.Countries) == 0 || len(b.Countries) == 0 || meet(a.Countries, b.Countries))
}

func (s *Server) priceCourse(ctx context.Context, in *ViewpointQuery, sku, fromText, toText string) (PriceCourse, error) {
	out := PriceCourse{Published: []PriceAt{}, Planned: []PriceAt{}, Lowest: []PriceAt{}}
	from, to, err := spanOf(fromText, toText)
	if err != nil {
		return out, err
	}
	snap := s.live.Current()
	vp, err := in.viewpoint(s, snap)
	if err != nil {
		return out, err
	}
	now := s.moment(snap)
	digits := 2
	planned := func(from, to pricing.Moment) ([]publish.PriceFrom, error) {
		var list []publish.PriceFrom
		for _, at := range append([]pricing.Moment{from}, snap.Engine.Changes(from, to, plannedPoints)...) {
			one := vp
			one.At = at
			a, err := snap.Engine.Price(pricing.Question{Viewpoint: one, SKU: sku})
			if err != nil {
				return nil, err
			}
			out.Currency, digits = a.Currency, a.Digits
			if n := len(list); n == 0 || !sameAmount(list[n-1].Price, a.Unit) {
				list = append(list, publish.PriceFrom{At: at, Price: a.Unit})
			}
		}
		return list, nil
	}
	steps, err := planned(from, to)
	if err != nil {
		return out, err
	}
	text := func(list []publish.PriceFrom) []PriceAt {
		all := []PriceAt{}
		for _, p := range list {
			one := PriceAt{At: (p.At - p.At%pricing.Minute).String()}
			if p.Price != nil {
				fixed := p.Price.Fixed(digits)
				one.Price = &fixed
			}
			all = append(all, one)
		}
		return all
	}
	out.Planned = text(steps)
	if number, exists := snap.Engine.ProductNumber(sku); exists {
		sw, err := s.sweep(snap, vp)
		if err != nil {
			return out, err
		}
		r := sw.Row(number)
		out.Cost = minor(r.Cost, r.HasCost, sw.Digits)
	}
	if vp.Channel == "" {
		return out, nil
	}
	history, err := s.store.PriceHistory(ctx, vp.Channel, sku)
	if err != nil {
		return out, err
	}
	var shown []publish.PriceFrom
	wall := func(t time.Time) pricing.Moment { return pricing.MomentOf(t.In(snap.Zone)) }
	for _, h := range slices.Backward(history) {
		if at := wall(h.From); at <= now {
			shown = append(shown, publish.PriceFrom{At: at, Price: h.Price})
			if h.Until != nil && wall(*h.Until) <= now {
				shown = append(shown, publish.PriceFrom{At: wall(*h.Until)})
			}
		}
	}
	shown = dropSuperseded(shown)
	if len(shown) > 0 {
		out.Published = text(shown)
	}
	if to > now {
		ahead, err := planned(now, to) // also what lies between now and a span further ahead
		if err != nil {
			return out, err
		}
		shown = append(shown, ahead...)
	}
	out.Lowest = text(publish.LowestBefore(shown, 30*pricing.Day, from, to))
	return out, nil
}

// dropSuperseded leaves of several prices from one moment on the last.
func dropSuperseded(list []publish.PriceFrom) []publish.PriceFrom {
	var out []publish.PriceFrom
	for i, p := range list {
		if i+1 < len(list) && list[i+1].At == p.At {
			continue
		}
		out = append(out, p)
	}
	return out
}

func sameAmount(a, b *money.Rat) bool { return (a == nil) == (b == nil) && (a == nil || a.Equal(*b)) }
