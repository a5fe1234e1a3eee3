package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/store"
)

// DueCause is a rule or campaign that opens or closes at a due moment.
type DueCause struct {
	Kind  string         `json:"kind" enum:"rules,campaigns"`
	Code  string         `json:"code"`
	Name  string         `json:"name"`
	Opens bool           `json:"opens" doc:"or else it closes"`
	Lines int            `json:"lines" doc:"that differ then, and that it selects"`
	Rules int            `json:"rules" doc:"of a campaign: its rules whose own windows open or close with it, which are turned along"`
	Turns []pricing.Turn `json:"turns" doc:"what can be done about it now: start, end, skip"`
}

// TurnForm is a rule or campaign that starts or ends now, or is passed over once.
type TurnForm struct {
	Kind string       `json:"kind" enum:"rules,campaigns"`
	Code string       `json:"code"`
	Turn pricing.Turn `json:"turn" enum:"start,end,skip"`
	At   string       `json:"at" doc:"the moment at which it would open or close by itself"`
}

// TurnAnswer is what became of it.
type TurnAnswer struct {
	Saved
	Sent []TurnSent `json:"sent" doc:"to the channels where it changes anything"`
}

// TurnSent is what one channel is told of it.
type TurnSent struct {
	Channel     string             `json:"channel"`
	Name        string             `json:"name"`
	Publication *PublicationAnswer `json:"publication,omitempty"`
	Problem     string             `json:"problem,omitempty" doc:"why it is not told"`
}

// turned is a rule or campaign of a book with its window.
type turned struct {
	name   string
	on     bool
	window *pricing.Window
	within *pricing.Window // its campaign's; nil: always open
	// change is how it becomes another window, or goes off.
	change func(w *pricing.Window, off bool) book.Change
}

// turn is the window after a turn, as pricing.Window.Turn has it. What waits for its campaign does not start alone.
func (t *turned) turn(turn pricing.Turn, at, now pricing.Moment) (w *pricing.Window, never, ok bool) {
	if turn == pricing.StartNow && !t.within.Open(now) {
		return nil, false, false
	}
	return t.window.Turn(turn, at, now)
}

func turnedOf(snap *book.Snapshot, kind, code string) (turned, bool) {
	switch kind {
	case book.Rules:
		if r := snap.Rule(code); r != nil {
			var within *pricing.Window
			for i := range snap.Book.Campaigns {
				if c := &snap.Book.Campaigns[i]; c.Code == r.Campaign {
					within = c.Window
				}
			}
			return turned{r.Title(), r.Status == pricing.On, r.Window, within, func(w *pricing.Window, off bool) book.Change {
				next := *r
				if next.Window = w; off {
					next.Window, next.Status = r.Window, pricing.Off
				}
				return book.OfRule(r, &next)
			}}, true
		}
	case book.Campaigns:
		i := slices.IndexFunc(snap.Book.Campaigns, func(c pricing.Campaign) bool { return c.Code == code })
		if i >= 0 {
			c := &snap.Book.Campaigns[i]
			return turned{c.Title(), c.Status == pricing.On, c.Window, nil, func(w *pricing.Window, off bool) book.Change {
				next := *c
				if next.Window = w; off {
					next.Window, next.Status = c.Window, pricing.Off
				}
				return book.Change{Kind: book.Campaigns, Code: code, Before: bookfile.EncodeCampaign(c),
					After: bookfile.EncodeCampaign(&next)}
			}}, true
		}
	}
	return turned{}, false
}

// causes are what makes lines differ at a due moment, with what can be done about each in the saved book.
func (s *Server) causes(snap, version *book.Snapshot, channel string, due *publish.DueMoment) []DueCause {
	list := []DueCause{}
	for _, c := range publish.Causes(version, channel, due) {
		out := DueCause{Kind: c.Kind, Code: c.Code, Name: c.Code, Opens: c.Opens, Lines: c.Lines, Rules: c.Rules,
			Turns: []pricing.Turn{}}
		if t, is := turnedOf(snap, c.Kind, c.Code); is {
			out.Name = t.name
			if t.on && t.window != nil {
				now := pricing.MomentOf(s.Clocks.Book().In(snap.Zone))
				for _, turn := range t.window.Turns(due.At, now) {
					if _, _, ok := t.turn(turn, due.At, now); ok {
						out.Turns = append(out.Turns, turn)
					}
				}
			}
		}
		list = append(list, out)
	}
	return list
}

var turnWords = map[pricing.Turn]string{
	pricing.StartNow: "%s starts now",
	pricing.EndNow:   "%s ends now",
	pricing.Skip:     "%s is passed over once",
}

// turn starts or ends a rule or campaign now, or passes over its next time, and tells the channels.
func (s *Server) turn(ctx context.Context, in *struct {
	Seen
	Body TurnForm
}) (TurnAnswer, error) {
	out := TurnAnswer{Sent: []TurnSent{}}
	at, err := pricing.ParseMoment(in.Body.At)
	if err != nil {
		return out, &pricing.QuestionError{Path: "at", Problem: err.Error()}
	}
	before := s.newest(ctx)
	t, is := turnedOf(before, in.Body.Kind, in.Body.Code)
	if !is {
		return out, store.ErrNotFound
	}
	var window *pricing.Window
	never, ok := false, false
	now := pricing.MomentOf(s.Clocks.Book().In(before.Zone))
	if t.on && t.window != nil {
		window, never, ok = t.turn(in.Body.Turn, at, now)
	}
	if !ok {
		return out, huma.Error409Conflict(fmt.Sprintf(
			"%s does not turn at %s any more. Somebody may have changed it, or the moment has passed.", t.name, at))
	}
	again, err := s.toldOtherwise(ctx, before, &in.Body, at)
	if err != nil {
		return out, err
	}
	words := fmt.Sprintf(turnWords[in.Body.Turn], t.name)
	switch {
	case never:
		words = fmt.Sprintf("%s is turned off: it would have begun at %s, and not again", t.name, at)
	case in.Body.Turn == pricing.Skip:
		words += fmt.Sprintf(", at %s", at)
	}
	changes := []book.Change{t.change(window, never)}
	if in.Body.Kind == book.Campaigns {
		changes = append(changes, alongChanges(before, &in.Body, at, now)...)
	}
	if out.Saved, err = s.commit(ctx, in.Seen, words, changes); err != nil {
		return out, err
	}
	after := s.newest(ctx)
	touched, told := after.Engine.Touched(before.Engine)
	if !told {
		touched = after.Engine.Match(&pricing.Where{Field: pricing.FieldAll})
	}
	links, err := s.Store.Links(ctx)
	if err != nil {
		return out, err
	}
	for i := range after.Book.Channels {
		c := &after.Book.Channels[i]
		if _, linked := links[c.Code]; linked {
			if sent := s.tellTurn(ctx, after, c, touched, again[c.Code]); sent != nil {
				out.Sent = append(out.Sent, *sent)
			}
		}
	}
	return out, nil
}

// alongChanges turn the rules of a campaign that open or close with it.
func alongChanges(snap *book.Snapshot, f *TurnForm, at, now pricing.Moment) (changes []book.Change) {
	for _, opens := range []bool{true, false} {
		for _, r := range publish.Along(snap.Book, f.Code, at, opens) {
			rule, _ := turnedOf(snap, book.Rules, r.Code)
			if window, never, ok := rule.window.Turn(f.Turn, at, now); ok {
				changes = append(changes, rule.change(window, never))
			}
		}
	}
	return changes
}

// toldOtherwise are, by channel that is told on the minute, the products whose lines would change by themselves at the
// moment that is passed over: they are told how long their lines hold now, so the clock follows the book as it is now.
func (s *Server) toldOtherwise(ctx context.Context, snap *book.Snapshot, f *TurnForm,
	at pricing.Moment) (map[string][]string, error) {
	again := map[string][]string{}
	if f.Turn != pricing.Skip {
		return again, nil
	}
	links, err := s.Store.Links(ctx)
	if err != nil {
		return nil, err
	}
	for channel, link := range links {
		if !link.OnTheMinute() || snap.Channel(channel) == nil {
			continue
		}
		version, err := s.Desk.Published(ctx, snap, channel)
		if err != nil {
			return nil, err
		}
		if version == nil {
			continue
		}
		dues, err := s.Desk.Upcoming(ctx, snap, channel, s.moment(snap)+dueAhead, mostDues)
		if err != nil {
			return nil, err
		}
		for i := range dues {
			if dues[i].At == at && slices.ContainsFunc(publish.Causes(version, channel, &dues[i]), func(c publish.Cause) bool {
				return c.Kind == f.Kind && c.Code == f.Code
			}) {
				again[channel] = dues[i].SKUs
			}
		}
	}
	return again, nil
}

// tellTurn has a channel told what a turn changes there; nil: nothing.
func (s *Server) tellTurn(ctx context.Context, snap *book.Snapshot, c *pricing.Channel, touched pricing.Set,
	again []string) *TurnSent {
	out := &TurnSent{Channel: c.Code, Name: c.Title()}
	who := personOf(ctx).Name
	p, err := s.Desk.PrepareSome(ctx, snap, c.Code, who, touched, again)
	if errors.Is(err, publish.ErrNothing) {
		return nil
	}
	if err == nil {
		p, err = s.Desk.Send(ctx, snap, p.ID, who)
		if err != nil {
			if dropped := s.Desk.Drop(ctx, p.ID, who); dropped != nil {
				err = errors.Join(err, dropped)
			}
		}
	}
	if err != nil {
		out.Problem = asProblem(err).Error()
		return out
	}
	answer := s.publicationAnswer(&p)
	out.Publication = &answer
	return out
}

func (s *Server) registerTurn(api huma.API) {
	answers(api, store.Manager, http.MethodPost, "/api/turns", s.turn)
}
