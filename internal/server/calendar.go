package server

import (
	"context"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/bulk"
	"dogbane/internal/flagsearch"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/timeline"
)

// Calendar is the windows of rules and campaigns over a span.
type Calendar struct {
	From      string             `json:"from"`
	To        string             `json:"to"`
	Now       string             `json:"now"`
	Campaigns []CalendarBar      `json:"campaigns"`
	Bars      []CalendarBar      `json:"bars" doc:"rules that have a window or a campaign, by layer, rank and code"`
	Always    int                `json:"always" doc:"rules that are on without a window, which are not among them"`
	Conflicts []CalendarConflict `json:"conflicts"`
	Week      []CalendarEvent    `json:"week" doc:"what starts and ends in the seven days from now"`
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

// Along are the rules of a campaign that are taken along when it is moved.
type Along struct {
	Rules []AlongRule `json:"rules"`
}

// AlongRule is one of them, as it would be.
type AlongRule struct {
	Code string  `json:"code"`
	Name string  `json:"name"`
	ETag string  `json:"etag" doc:"of the rule as it is"`
	Doc  ItemDoc `json:"doc"`
}

// AlongQuery asks which rules a campaign takes along when it begins at another moment.
type AlongQuery struct {
	Campaign string `query:"campaign" required:"true"`
	From     string `query:"from" required:"true" doc:"when it would begin"`
}

func (s *Server) along(_ context.Context, in *AlongQuery) (Along, error) {
	out := Along{Rules: []AlongRule{}}
	from, err := pricing.ParseMoment(in.From)
	if err != nil {
		return out, &pricing.QuestionError{Path: "from", Problem: err.Error()}
	}
	snap := s.Live.Current()
	changes, err := bulk.Along(snap.Book, in.Campaign, from)
	for _, c := range changes {
		out.Rules = append(out.Rules, AlongRule{c.Code, snap.Rule(c.Code).Title(), etag(c.Before), ItemDoc(c.After)})
	}
	return out, err
}

// CalendarSpan is a stretch of time, to exclusive.
type CalendarSpan struct {
	From string `json:"from"`
	To   string `json:"to"`
}

// CalendarConflict is two rules of one rank that want the same goods at the same time, in a layer whose first rule is
// used.
type CalendarConflict struct {
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

const longestSpan = 400 * pricing.Day

// CalendarQuery is the span of a calendar.
type CalendarQuery struct {
	From string `query:"from" required:"true"`
	To   string `query:"to" required:"true"`
}

func (s *Server) registerCalendar(api huma.API) {
	get(api, "/api/calendar", s.calendar)
	get(api, "/api/calendar/along", s.along)
	get(api, "/api/changes", func(_ context.Context, in *ChangesQuery) (ChangeList, error) {
		snap := s.Live.Current()
		now := s.moment(snap)
		from := now - now%pricing.Day - 7*pricing.Day
		out := ChangeList{Now: now.String(), Moments: []string{}}
		for _, m := range snap.Engine.Changes(from, from+pricing.Moment(in.Days)*pricing.Day, 400, nil) {
			out.Moments = append(out.Moments, m.String())
		}
		return out, nil
	})
}

// ChangesQuery says how far ahead changes are told.
type ChangesQuery struct {
	Days int `query:"days" minimum:"1" maximum:"400" default:"60"`
}

// ChangeList is when windows open or close.
type ChangeList struct {
	Now     string   `json:"now"`
	Moments []string `json:"moments"`
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

func (s *Server) calendar(_ context.Context, in *CalendarQuery) (Calendar, error) {
	from, to, err := spanOf(in.From, in.To)
	if err != nil {
		return Calendar{}, err
	}
	snap := s.Live.Current()
	now := s.moment(snap)
	c := timeline.CalendarOf(snap.Engine, now, from, to)
	out := Calendar{From: from.String(), To: to.String(), Now: now.String(), Campaigns: []CalendarBar{},
		Bars: []CalendarBar{}, Always: c.Always,
		Conflicts: []CalendarConflict{}, Week: []CalendarEvent{}}
	for _, b := range c.Campaigns {
		doc := snap.Doc(book.Campaigns, b.Campaign.Code)
		bar := CalendarBar{Code: b.Campaign.Code, Name: b.Campaign.Title(), Status: string(b.Campaign.Status),
			Spans: written(b.Spans), ETag: etag(doc), Doc: ItemDoc(doc)}
		bar.From, bar.To, bar.Pattern = windowBar(b.Campaign.Window)
		out.Campaigns = append(out.Campaigns, bar)
	}
	for _, b := range c.Rules {
		doc := bookfile.EncodeRule(b.Rule)
		bar := CalendarBar{Code: b.Rule.Code, Name: b.Rule.Title(), Layer: b.Rule.Layer.String(),
			Status: string(b.Rule.Status), Campaign: b.Rule.Campaign, Spans: written(b.Spans), ETag: etag(doc),
			Doc: ItemDoc(doc)}
		bar.From, bar.To, bar.Pattern = windowBar(b.Rule.Window)
		out.Bars = append(out.Bars, bar)
	}
	flagged := s.tied(snap)
	for _, f := range c.Conflicts {
		if !flagged(&f) {
			continue
		}
		out.Conflicts = append(out.Conflicts, CalendarConflict{f.A.Code, f.B.Code, f.A.Layer.String(), f.Goods,
			written(f.Spans)})
	}
	for _, e := range c.Week {
		one := CalendarEvent{At: e.At.String(), What: "ends", Reach: e.Reach}
		if e.Starts {
			one.What = "starts"
		}
		if e.Rule != nil {
			one.Code, one.Name, one.Layer = e.Rule.Code, e.Rule.Title(), e.Rule.Layer.String()
		} else {
			one.Campaign, one.Code, one.Name = true, e.Campaign.Code, e.Campaign.Title()
		}
		out.Week = append(out.Week, one)
	}
	return out, nil
}

// tied says which conflicts of rules are flags, too: within the span that flags were looked for, those that give some
// goods different prices; outside of it, or before the newest book was looked at, all that may.
func (s *Server) tied(snap *book.Snapshot) func(c *timeline.Conflict) bool {
	found := s.flags.Of(snap)
	if found.Version != snap.Version || found.Present {
		return func(*timeline.Conflict) bool { return true }
	}
	pairs := map[[2]string]bool{}
	for i := range found.Flags {
		if f := found.Flags[i]; f.Kind == string(flags.Tie) {
			pairs[[2]string{f.Rules[0], f.Rules[1]}] = true
		}
	}
	return func(c *timeline.Conflict) bool {
		inside := !slices.ContainsFunc(c.Spans, func(x pricing.Span) bool {
			return x.From < found.From || x.To > found.From+flagsearch.Span
		})
		pair := []string{c.A.Code, c.B.Code}
		slices.Sort(pair)
		return !inside || pairs[[2]string{pair[0], pair[1]}]
	}
}
