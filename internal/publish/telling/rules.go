package telling

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"maps"
	"slices"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Rules are those that a channel is told as rules, by code: offers and orders, and price rules that no line can say, of
// which none is over and none looks at a cost. Each is written as docs/book.md has it, without name and note; what it
// refers to in the book stands in it.
func (t *Telling) Rules(at pricing.Moment) map[string]json.RawMessage {
	docs := map[string]json.RawMessage{}
	if !t.can("offers") {
		return docs
	}
	t.Engine.Rules(func(ordinal int, r *pricing.Rule, _ pricing.Set) {
		c := t.Engine.Campaign(ordinal)
		if r.Status != pricing.On || c != nil && c.Status != pricing.On || !t.hears(r, c) || t.looksAtCost(ordinal, r) {
			return
		}
		told := r.Offer != nil || r.Order != nil || t.beyondLines(ordinal, r, c)
		if !told || r.Offer != nil && r.Offer.Codes != nil && !t.can("codes") {
			return
		}
		whole := t.whole(ordinal, r, c)
		if whole == nil {
			return
		}
		if w := whole.Window; w != nil && w.To != nil && *w.To <= at {
			return
		}
		docs[r.Code] = bookfile.EncodeRule(whole)
	})
	return docs
}

// hears reports whether a rule is for the channel.
func (t *Telling) hears(r *pricing.Rule, c *pricing.Campaign) bool {
	for_ := func(list []string) bool { return len(list) == 0 || slices.Contains(list, t.Channel) }
	return for_(r.Channels) && (c == nil || for_(c.Channels)) &&
		(r.Currency == "" || r.Currency == t.Entry.Currency || t.Entry.Currency == "" &&
			r.Currency == t.Engine.Book().Settings.Currency)
}

// beyondLines reports whether a price rule makes prices that no line says.
func (t *Telling) beyondLines(ordinal int, r *pricing.Rule, c *pricing.Campaign) bool {
	narrow := func(a *pricing.Audience) bool {
		return a != nil && (len(a.Customers) > 0 || len(a.Countries) > 0 || len(a.CustomerAttr) > 0 || a.FirstOrder != nil ||
			a.SignedIn != nil)
	}
	breaks, counting := t.Engine.Breaks(ordinal)
	return narrow(r.Audience) || c != nil && narrow(c.Audience) ||
		len(breaks) > 0 && !inLines(r, counting)
}

// looksAtCost reports whether a rule's prices tell what goods cost.
func (t *Telling) looksAtCost(ordinal int, r *pricing.Rule) bool {
	breaks, _ := t.Engine.Breaks(ordinal)
	costly := func(e *pricing.Effect) bool {
		return e != nil && (e.Kind == pricing.Markup || e.Kind == pricing.ToMargin)
	}
	return costly(r.Effect) || r.Floor != nil && (r.Floor.Margin != nil || r.Floor.Cost) ||
		slices.ContainsFunc(breaks, func(b pricing.Break) bool { return costly(&b.Effect) }) || t.asksCost(&r.Where)
}

func (t *Telling) asksCost(w *pricing.Where) bool {
	return w.Field == pricing.FieldCost ||
		slices.ContainsFunc(w.Parts, func(p pricing.Where) bool { return t.asksCost(&p) }) ||
		w.Field == pricing.FieldRange && slices.ContainsFunc(t.Engine.Book().Ranges, func(r pricing.Range) bool {
			return slices.Contains(w.Values, r.Code) && t.asksCost(&r.Where)
		})
}

// whole is a rule as the channel is told it; nil where that cannot be said without its campaign: such prices are
// quoted.
func (t *Telling) whole(ordinal int, r *pricing.Rule, c *pricing.Campaign) *pricing.Rule {
	out := *r
	out.Name, out.Note, out.Channels, out.Campaign = "", "", []string{t.Channel}, ""
	out.Where = t.spelled(r.Where)
	if r.Ladder != "" {
		out.Ladder = ""
		out.Breaks, out.Counting = t.Engine.Breaks(ordinal)
	}
	if c != nil {
		var opens, holds bool
		out.Window, opens = r.Window.Meet(c.Window)
		if out.Audience, holds = r.Audience.Meet(c.Audience); !opens || !holds {
			return nil
		}
	}
	if r.Offer != nil {
		offer := *r.Offer
		offer.Needs, offer.Gives = slices.Clone(offer.Needs), slices.Clone(offer.Gives)
		for i := range offer.Needs {
			offer.Needs[i].Where = t.spelled(offer.Needs[i].Where)
		}
		for i := range offer.Gives {
			if w := offer.Gives[i].Where; w != nil {
				spelled := t.spelled(*w)
				offer.Gives[i].Where = &spelled
			}
		}
		if c := offer.Codes; c != nil {
			secret := *c
			secret.Words = nil
			for _, word := range c.Words {
				secret.Words = append(secret.Words, Hashed(word))
			}
			offer.Codes = &secret
		}
		out.Offer = &offer
	}
	return &out
}

// spelled is a selection without names of ranges.
func (t *Telling) spelled(w pricing.Where) pricing.Where {
	if w.Field == pricing.FieldRange {
		any := pricing.Where{Field: pricing.FieldAny}
		for _, r := range t.Engine.Book().Ranges {
			if slices.Contains(w.Values, r.Code) {
				any.Parts = append(any.Parts, t.spelled(r.Where))
			}
		}
		return any
	}
	if w.Parts != nil {
		parts := make([]pricing.Where, len(w.Parts))
		for i := range w.Parts {
			parts[i] = t.spelled(w.Parts[i])
		}
		w.Parts = parts
	}
	return w
}

// changesOf are what a channel that took some rules is to be told of others.
func ChangesOf(took, now map[string]json.RawMessage) (c RuleChanges) {
	for _, code := range slices.Sorted(maps.Keys(now)) {
		if string(took[code]) != string(now[code]) {
			c.Rules = append(c.Rules, now[code])
		}
	}
	for _, code := range slices.Sorted(maps.Keys(took)) {
		if _, still := now[code]; !still {
			c.Withdraw = append(c.Withdraw, code)
		}
	}
	return c
}

// hashed is a code word as channels are told it.
func Hashed(word string) string {
	sum := sha256.Sum256([]byte(word))
	return hex.EncodeToString(sum[:])
}

// RuleChanges are the rules that a channel is told, and those that it is to forget.
type RuleChanges struct {
	Rules    []json.RawMessage `json:"rules,omitempty"`
	Withdraw []string          `json:"withdraw,omitempty"`
}

// None reports whether there are none.
func (c RuleChanges) None() bool { return len(c.Rules)+len(c.Withdraw) == 0 }
