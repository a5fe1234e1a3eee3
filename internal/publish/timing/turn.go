package timing

import (
	"cmp"
	"fmt"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/telling"
)

// Cause is a rule or campaign that opens or closes at a due moment of a channel.
type Cause struct {
	Kind  string // book.Rules or book.Campaigns
	Code  string
	Opens bool
	Lines int // that change at that moment, and that it selects
	Rules int // of a campaign: rules of its own that turn along with it, which are no causes by themselves
}

// Along are the rules of a campaign whose own windows open or close with it at a moment.
func Along(b *pricing.Book, campaign string, at pricing.Moment, opens bool) (rules []*pricing.Rule) {
	for i := range b.Rules {
		if r := &b.Rules[i]; r.Campaign == campaign && r.Status == pricing.On {
			if o, flips := r.Window.Flips(at); flips && o == opens {
				rules = append(rules, r)
			}
		}
	}
	return rules
}

// Causes are what makes lines of a channel differ at a due moment, in a version of the book; those that select most
// first. A rule that turns with its campaign is not told beside it.
func Causes(version *book.Snapshot, channel string, due *telling.DueMoment) []Cause {
	changed := version.Engine.SetOf(due.Changed)
	lines := map[Cause]pricing.Set{}
	note := func(kind, code string, w *pricing.Window, hits pricing.Set) {
		if opens, flips := w.Flips(due.At); flips {
			c := Cause{Kind: kind, Code: code, Opens: opens}
			if others := lines[c]; others != nil {
				hits = hits.Or(others)
			}
			lines[c] = hits
		}
	}
	here := func(list []string) bool { return list == nil || slices.Contains(list, channel) }
	version.Engine.Rules(func(ordinal int, r *pricing.Rule, _ pricing.Set) {
		campaign := version.Engine.Campaign(ordinal)
		if r.Offer != nil || r.Status != pricing.On || !here(r.Channels) || // no line tells of an offer
			campaign != nil && (campaign.Status != pricing.On || !here(campaign.Channels)) {
			return
		}
		hits := changed.And(version.Engine.MayReach(ordinal))
		if hits.Count() == 0 {
			return
		}
		if campaign == nil {
			note(book.Rules, r.Code, r.Window, hits)
			return
		}
		opens, flips := campaign.Window.Flips(due.At)
		if along, turns := r.Window.Flips(due.At); !flips || turns && along != opens {
			note(book.Rules, r.Code, r.Window, hits)
		}
		note(book.Campaigns, campaign.Code, campaign.Window, hits)
	})
	list := make([]Cause, 0, len(lines))
	for c, hits := range lines {
		if c.Lines = hits.Count(); c.Kind == book.Campaigns {
			c.Rules = len(Along(version.Book, c.Code, due.At, c.Opens))
		}
		list = append(list, c)
	}
	slices.SortFunc(list, func(a, b Cause) int {
		return cmp.Or(cmp.Compare(b.Lines, a.Lines), cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Code, b.Code))
	})
	return list
}

// Turn starts or ends a rule or campaign now, or passes over its next time.
type Turn struct {
	Kind string // book.Rules or book.Campaigns
	Code string
	Turn pricing.Turn
	At   pricing.Moment // at which it would open or close by itself
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

// Turns are what can be done now about a cause of a moment, in the saved book, and what it is called there; "": there
// is no such rule or campaign any more.
func (c *Cause) Turns(saved *book.Snapshot, at, now pricing.Moment) (name string, turns []pricing.Turn) {
	t, is := turnedOf(saved, c.Kind, c.Code)
	if !is || !t.on || t.window == nil {
		return t.name, nil
	}
	for _, turn := range t.window.Turns(at, now) {
		if _, _, ok := t.turn(turn, at, now); ok {
			turns = append(turns, turn)
		}
	}
	return t.name, turns
}

// ErrTurned says that a rule or campaign does not open or close any more when somebody thought that it would.
type ErrTurned struct {
	Name string
	At   pricing.Moment
}

func (e *ErrTurned) Error() string {
	return fmt.Sprintf("%s does not turn at %s any more. Somebody may have changed it, or the moment has passed.",
		e.Name, e.At)
}

var turnWords = map[pricing.Turn]string{
	pricing.StartNow: "%s starts now",
	pricing.EndNow:   "%s ends now",
	pricing.Skip:     "%s is passed over once",
}

// Changes are how a turn changes a book, now, and what it comes to in words. Its errors are book.ErrNotFound and
// *ErrTurned.
func (t *Turn) Changes(snap *book.Snapshot, now pricing.Moment) (changes []book.Change, summary string, err error) {
	of, is := turnedOf(snap, t.Kind, t.Code)
	if !is {
		return nil, "", book.ErrNotFound
	}
	var window *pricing.Window
	never, ok := false, false
	if of.on && of.window != nil {
		window, never, ok = of.turn(t.Turn, t.At, now)
	}
	if !ok {
		return nil, "", &ErrTurned{of.name, t.At}
	}
	summary = fmt.Sprintf(turnWords[t.Turn], of.name)
	switch {
	case never:
		summary = fmt.Sprintf("%s is turned off: it would have begun at %s, and not again", of.name, t.At)
	case t.Turn == pricing.Skip:
		summary += fmt.Sprintf(", at %s", t.At)
	}
	changes = []book.Change{of.change(window, never)}
	if t.Kind != book.Campaigns {
		return changes, summary, nil
	}
	for _, opens := range []bool{true, false} { // the rules of a campaign that open or close with it
		for _, r := range Along(snap.Book, t.Code, t.At, opens) {
			rule, _ := turnedOf(snap, book.Rules, r.Code)
			if window, never, ok := rule.window.Turn(t.Turn, t.At, now); ok {
				changes = append(changes, rule.change(window, never))
			}
		}
	}
	return changes, summary, nil
}
