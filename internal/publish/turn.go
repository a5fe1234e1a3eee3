package publish

import (
	"cmp"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
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
func Causes(version *book.Snapshot, channel string, due *DueMoment) []Cause {
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
		hits := changed.And(version.Engine.Reaches(ordinal))
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
