package timeline

import "dogbane/internal/pricing"

// State is where a rule stands at a moment: on, off, draft, opens (later), over, or closed outside its hours.
func State(r *pricing.Rule, now pricing.Moment) string {
	switch {
	case r.Status != pricing.On:
		return string(r.Status)
	case r.Window.Open(now):
		return "on"
	case r.Window.To != nil && now >= *r.Window.To:
		return "over"
	case r.Window.From != nil && now < *r.Window.From:
		return "opens"
	}
	return "closed"
}
