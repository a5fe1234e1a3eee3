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
	"dogbane/internal/publish/pieces"
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
				now := snap.Present(s.Clocks.Book())
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
	now := before.Present(s.Clocks.Book())
	if t.on && t.window != nil {
		window, never, ok = t.turn(in.Body.Turn, at, now)
	}
	if !ok {
		return out, huma.Error409Conflict(fmt.Sprintf(
			"%s does not turn at %s any more. Somebody may have changed it, or the moment has passed.", t.name, at))
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
	links, err := s.Store.Links(ctx)
	if err != nil {
		return out, err
	}
	turned := make([]pieces.Key, len(changes))
	for i, c := range changes {
		turned[i] = pieces.Key{Kind: c.Kind, Code: c.Code}
	}
	for i := range after.Book.Channels {
		c := &after.Book.Channels[i]
		if _, linked := links[c.Code]; !linked {
			continue
		}
		sent, err := s.tellTurn(ctx, after, c, turned)
		if err != nil {
			return out, err
		}
		if sent != nil {
			out.Sent = append(out.Sent, *sent)
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

// tellTurn has a channel told what a turn changes there, and nothing else; nil: nothing. Other unpublished changes of
// the same pieces go along and are named.
func (s *Server) tellTurn(ctx context.Context, snap *book.Snapshot, c *pricing.Channel, turned []pieces.Key) (*TurnSent,
	error) {
	e, err := s.Desk.Published(ctx, snap, c.Code)
	if err != nil || e == nil { // what was never published there does not begin with this
		return nil, err
	}
	var keys []pieces.Key
	for _, p := range e.Pieces {
		if slices.Contains(turned, p.Key) && concerns(snap, e, p.Key, c.Code) {
			keys = append(keys, p.Key)
		}
	}
	if len(keys) == 0 {
		return nil, nil
	}
	out := &TurnSent{Channel: c.Code, Name: c.Title()}
	who := personOf(ctx).Name
	p, err := s.Desk.Prepare(ctx, snap, c.Code, publish.Wish{Who: who, Version: snap.Version, Pieces: keys, Reached: true,
		LeaveOutBlocked: true})
	if errors.Is(err, publish.ErrNothing) {
		return nil, nil
	}
	if err == nil {
		prepared := p
		if p, err = s.Desk.Send(ctx, snap, p.ID, who, ""); err != nil {
			p = prepared
			if dropped := s.Desk.Drop(ctx, p.ID, who); dropped != nil {
				err = errors.Join(err, dropped)
			}
		}
	}
	if err != nil {
		out.Problem = asProblem(err).Error()
		return out, nil
	}
	answer := s.publicationAnswer(&p)
	out.Publication = &answer
	return out, nil
}

// concerns reports whether a rule or campaign of the saved or the published book is for a channel.
func concerns(saved *book.Snapshot, e *publish.Edition, k pieces.Key, channel string) bool {
	for_ := func(channels []string) bool { return channels == nil || slices.Contains(channels, channel) }
	for _, snap := range []*book.Snapshot{saved, e.Snapshot} {
		if k.Kind == book.Rules {
			if r := snap.Rule(k.Code); r != nil && for_(r.Channels) {
				return true
			}
		}
		for i := range snap.Book.Campaigns {
			if c := &snap.Book.Campaigns[i]; k.Kind == book.Campaigns && c.Code == k.Code && for_(c.Channels) {
				return true
			}
		}
	}
	return false
}

func (s *Server) registerTurn(api huma.API) {
	answers(api, store.Manager, http.MethodPost, "/api/turns", s.turn)
}
