package timeline

import "dogbane/internal/pricing"

// State is where a rule stands at a moment.
type State string

// The states of a rule. What its campaign lacks, it lacks.
const (
	On      State = "on"
	Off     State = "off"
	Draft   State = "draft"
	Waits   State = "waits"  // for its campaign, which is off or a draft
	Opens   State = "opens"  // has not begun
	Closed  State = "closed" // between two of its times
	Over    State = "over"
	NeverOn State = "never" // its times and those of its campaign never meet
)

// Standing is the state of a rule and when that changes next: when it opens, or, where it is on, when it shuts. It is
// the one answer to that question for every view.
type Standing struct {
	State State
	Next  *pricing.Moment // nil: never, or not within a year
}

// StandingOf says where a rule of a book stands at a moment.
func StandingOf(b *pricing.Book, r *pricing.Rule, now pricing.Moment) Standing {
	windows, campaign := Windows(b, r)
	switch {
	case r.Status != pricing.On:
		return Standing{State: State(r.Status)}
	case campaign != nil && campaign.Status != pricing.On:
		return Standing{State: Waits}
	}
	at, opens := pricing.NextOpen(windows, now)
	if opens && at == now {
		if shuts, found := pricing.NextShut(windows, now); found {
			return Standing{On, &shuts}
		}
		return Standing{State: On}
	}
	begun := true
	for _, w := range windows {
		if w != nil && w.To != nil && now >= *w.To {
			return Standing{State: Over}
		}
		begun = begun && (w == nil || w.From == nil || now >= *w.From)
	}
	switch {
	case !opens:
		return Standing{State: NeverOn}
	case begun:
		return Standing{Closed, &at}
	}
	return Standing{Opens, &at}
}

// Windows are those of a rule and of its campaign, which must both be open, and the campaign, if there is one.
func Windows(b *pricing.Book, r *pricing.Rule) ([]*pricing.Window, *pricing.Campaign) {
	for i := range b.Campaigns {
		if c := &b.Campaigns[i]; r.Campaign != "" && c.Code == r.Campaign {
			return []*pricing.Window{r.Window, c.Window}, c
		}
	}
	return []*pricing.Window{r.Window}, nil
}
