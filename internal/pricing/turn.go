package pricing

// Turn is what somebody does about a window before its time.
type Turn string

// The turns.
const (
	StartNow Turn = "start" // it opens now
	EndNow   Turn = "end"   // it closes now, for good
	Skip     Turn = "skip"  // it stays shut this time, or is shut for the rest of it, and opens the next time
)

// recurring reports whether the window opens more than once.
func (w *Window) recurring() bool {
	return w.Days != nil || w.Hours != nil || w.Weekly != nil || w.Yearly != nil
}

// Flips reports whether the window opens (or else closes) at a moment.
func (w *Window) Flips(at Moment) (opens, flips bool) {
	if w == nil {
		return false, false
	}
	opens = w.Open(at)
	return opens, opens != w.Open(at-1)
}

// Turns are what can be done now about a window that opens or closes at a later moment.
func (w *Window) Turns(at, now Moment) (turns []Turn) {
	for _, t := range []Turn{StartNow, Skip, EndNow} {
		if _, _, ok := w.Turn(t, at, now); ok {
			turns = append(turns, t)
		}
	}
	return turns
}

// Turn is the window as it is after a turn that is made now about its next opening or closing. never says that it would
// not open again: whatever it belongs to is to be turned off instead. ok is false where the turn makes no sense: what
// is open cannot start, what opens by its hours cannot start between them, and a later opening is not the next.
func (w *Window) Turn(t Turn, at, now Moment) (turned *Window, never, ok bool) {
	opens, flips := w.Flips(at)
	if !flips || at <= now || w.stays(now) != at {
		return nil, false, false
	}
	next := *w
	switch {
	case t == StartNow && opens:
		// On the minute for which prices are made, so that it is open in them.
		if minute := now - now%Minute; next.From != nil && *next.From > minute {
			next.From = &minute
		}
		return &next, false, next.Open(now - now%Minute)
	case t == EndNow && !opens:
		// On the minute for which prices are made. One that opened within it is as if it had been open in the one before.
		minute := now - now%Minute
		if next.To = &minute; next.From != nil && *next.From >= minute {
			before := minute - Minute
			next.From = &before
		}
		return &next, false, next.From == nil || *next.From < *next.To
	case t == Skip && w.recurring():
		end := at // when this time is over
		if opens {
			end = w.stays(at)
		}
		next.From = &end
		return &next, !next.opensAgain(end), true
	case t == Skip:
		return w, true, opens
	}
	return nil, false, false
}

// stays is until when the window is as it is at a moment, at most two years ahead.
func (w *Window) stays(at Moment) Moment {
	is, until := w.Open(at), at+2*366*Day
	for at < until {
		next, more := w.Next(at)
		if !more {
			return until
		}
		if at = next; w.Open(at) != is {
			return at
		}
	}
	return until
}

// opensAgain reports whether the window is open at a moment or opens after it.
func (w *Window) opensAgain(at Moment) bool {
	return w.Open(at) || w.Open(w.stays(at))
}
