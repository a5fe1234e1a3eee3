package flags

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// limitsAt holds reduced prices, and the rules that made them, against what their channels take.
func (w *worker) limitsAt(c *class, quantity int, u *pricing.Exam) {
	if !u.Priced || !u.Reduced {
		return
	}
	for i := range c.seen {
		if channel := w.channelOf(c.seen[i].channel); channel != nil && channel.Limits != nil {
			w.limitsIn(channel.Limits, &c.seen[i], quantity, u)
		}
	}
}

// limitsIn holds a reduced price against the limits of one channel.
func (w *worker) limitsIn(l *pricing.Limits, s *seen, quantity int, u *pricing.Exam) {
	product := w.good
	_, digits := w.x.Currency()
	if l.WholeUnits {
		if whole := u.Finished.Round(0, money.Down); !whole.Equal(u.Finished) {
			gap := u.Finished.Sub(whole)
			w.finds(limitWholeUnits, s, quantity, u, money.Min(gap, money.Int(1).Sub(gap)), nothing)
		}
	}
	// A price that rests on no list price, such as a derived one, is a reduction of nothing that could be measured.
	if l.MinOffPercent != nil || l.MaxOffPercent != nil {
		if from, known := w.x.CatalogPrice(w.product, u); known && w.list.known && from.Sign() > 0 {
			low, high := passing(l, from, digits)
			switch {
			case low != nil && u.Finished.Less(*low):
				w.finds(limitDiscount, s, quantity, u, low.Sub(u.Finished), from)
			case high != nil && high.Less(u.Finished):
				w.finds(limitDiscount, s, quantity, u, u.Finished.Sub(*high), from)
			}
		}
	}
	if l.NeedsReference && product.RRP == nil && !(w.list.known && u.Finished.Less(w.list.Rat)) {
		w.finds(limitReference, s, quantity, u, nothing, nothing)
	}
	if l.MinRating != nil && product.Rating != nil && product.Rating.Less(*l.MinRating) {
		w.finds(limitRating, s, quantity, u, nothing, nothing)
	}
	for _, word := range l.RefusedWords {
		if says(product.Name, word) {
			w.keepWord(s, quantity, finding{kind: limitWords, rule: -1, other: -1, cause: -1, rules: word, price: u.Finished,
				priced: true})
		}
	}
	w.rulesInLimits(s, quantity, u, l)
}

// rulesInLimits holds the rules that lowered a reduced price after the catalog layer against a channel's limits.
func (w *worker) rulesInLimits(s *seen, quantity int, u *pricing.Exam, l *pricing.Limits) {
	for i := range u.Applied {
		a := &u.Applied[i]
		if a.Rule.Layer == pricing.Catalog || !a.Lowered() {
			continue
		}
		f := finding{rule: int32(a.Ordinal), other: -1, cause: -1, price: u.Finished, priced: true}
		if l.NeedsTerms && (a.Rule.Show == nil || strings.TrimSpace(a.Rule.Show.Terms) == "") {
			f.kind = limitTerms
			w.keep(s, quantity, f)
		}
		if l.LeadHours != nil && w.early(a.Ordinal, *l.LeadHours) {
			f.kind = limitLeadTime
			w.keep(s, quantity, f)
		}
		if show := a.Rule.Show; show != nil {
			for _, word := range l.RefusedWords {
				for _, text := range []string{show.Label, show.Message, show.Badge, show.Alt, show.Terms} {
					if says(text, word) {
						f.kind, f.rules = limitWords, word
						w.keepWord(s, quantity, f)
					}
				}
			}
		}
	}
}

// keepWord keeps the first refused word of a subject: a flag is one per kind, subject and channel.
func (w *worker) keepWord(s *seen, quantity int, f finding) {
	for i := range w.now.findings {
		old := &w.now.findings[i]
		if old.kind == limitWords && old.rule == f.rule && int(old.channel) == s.channel && old.rules <= f.rules {
			f.rules = old.rules
		}
	}
	w.keep(s, quantity, f)
}

// early reports whether a rule, with its campaign, begins in the span before a channel can know of it.
func (a *asked) early(ordinal int, lead money.Rat) bool {
	begins := a.From
	windows := []*pricing.Window{a.rules[ordinal].Window}
	if c := a.engine.Campaign(ordinal); c != nil {
		windows = append(windows, c.Window)
	}
	for _, w := range windows {
		if w != nil && w.From != nil {
			begins = max(begins, *w.From)
		}
	}
	return begins > a.From && money.Int(int64(begins-a.From)).Less(lead.Mul(money.Int(int64(pricing.Hour))))
}

// passing are the lowest and the highest price that a channel takes as a reduction; nil: any.
func passing(l *pricing.Limits, from money.Rat, digits int) (low, high *money.Rat) {
	left := func(percent *money.Rat, mode money.Mode) *money.Rat {
		if percent == nil {
			return nil
		}
		price := from.Mul(money.Int(1).Sub(money.PercentOf(*percent))).Round(digits, mode)
		return &price
	}
	return left(l.MaxOffPercent, money.Up), left(l.MinOffPercent, money.Down)
}

// nearest gives a flag of a limit the nearest prices that pass.
func (s *Search) nearest(f *finding, flag *Flag) {
	if !f.priced || f.rule >= 0 {
		return
	}
	switch f.kind {
	case limitWholeUnits:
		whole := f.price.Round(0, money.Down)
		flag.Nearest = []money.Rat{whole, whole.Add(money.Int(1))}
	case limitDiscount:
		for i := range s.asked.book.Channels {
			c := &s.asked.book.Channels[i]
			if c.Code != flag.Channel {
				continue
			}
			low, high := passing(c.Limits, f.against, flag.Digits)
			if low == nil {
				zero := nothing
				low = &zero
			}
			if high == nil {
				high = &f.against
			}
			flag.Nearest = []money.Rat{*low, *high}
		}
	}
}

// says reports whether a text has a word whole, whatever its letters' case.
func says(text, word string) bool {
	text, word = strings.ToLower(text), strings.ToLower(word)
	if word == "" {
		return false
	}
	inWord := func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r) }
	for from := 0; ; {
		i := strings.Index(text[from:], word)
		if i < 0 {
			return false
		}
		i += from
		before, _ := utf8.DecodeLastRuneInString(text[:i])
		after, _ := utf8.DecodeRuneInString(text[i+len(word):])
		if (i == 0 || !inWord(before)) && (i+len(word) == len(text) || !inWord(after)) {
			return true
		}
		_, size := utf8.DecodeRuneInString(text[i:])
		from = i + size
	}
}

// live notes rules that are live, for a listed product, in a channel which cannot do what they need. A rule that
// looks at whether prices are reduced is live for units that it selects so.
func (w *worker) live(c *class, quantity int, units []pricing.Exam) {
	for i := range c.seen {
		s := &c.seen[i]
		channel := w.channelOf(s.channel)
		if channel == nil || channel.Can == nil {
			continue
		}
		for _, o := range c.rules {
			if w.lacks(channel, o) && w.reaches(o) && (!w.rules[o].Where.UsesReduced() || selects(units, o)) {
				w.keep(s, quantity, finding{kind: channelCannot, rule: int32(o), other: -1, cause: -1})
			}
		}
	}
}

// selects reports whether a rule selects some of the units at their prices.
func selects(units []pricing.Exam, ordinal int) bool {
	return slices.ContainsFunc(units, func(u pricing.Exam) bool {
		return slices.ContainsFunc(u.Applied, func(a pricing.Applied) bool { return a.Ordinal == ordinal }) ||
			slices.ContainsFunc(u.Shut, func(h pricing.Shut) bool { return h.Ordinal == ordinal })
	})
}
