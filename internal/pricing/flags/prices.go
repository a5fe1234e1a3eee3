package flags

import (
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

var nothing = money.Int(0)

// finds notes trouble with a price in one channel.
func (w *worker) finds(kind kind, s *seen, quantity int, u *pricing.Exam, worst, against money.Rat) {
	f := finding{kind: kind, rule: -1, other: -1, worst: worst, against: against, at: s.at, channel: int16(s.channel)}
	if old := w.known(&f); old != nil && !f.worse(old) {
		return
	}
	f.cause, f.price, f.priced = w.causeOf(u), u.Finished, u.Priced
	w.keep(s, quantity, f)
}

// everywhere notes trouble with a price in all channels of a class.
func (w *worker) everywhere(kind kind, c *class, quantity int, u *pricing.Exam, worst, against money.Rat) {
	for i := range c.seen {
		w.finds(kind, &c.seen[i], quantity, u, worst, against)
	}
}

// unknownCause says that nobody has asked yet.
const unknownCause = -2

// causeOf is the cause of the price of the unit that is looked at, found out once.
func (w *worker) causeOf(u *pricing.Exam) int32 {
	if w.cause == unknownCause {
		w.cause = cause(u)
	}
	return w.cause
}

// cause is the rule that lowered the price of a unit most, the last of equals; -1: none did.
func cause(u *pricing.Exam) int32 {
	var most *pricing.Applied
	for i := range u.Applied {
		a := &u.Applied[i]
		if a.Lowered() && (most == nil || !a.Before.Sub(a.After).Less(most.Before.Sub(most.After))) {
			most = a
		}
	}
	if most == nil {
		return -1
	}
	return int32(most.Ordinal)
}

// prices judges the finished price of units that came out alike.
func (w *worker) prices(c *class, quantity int, u *pricing.Exam) {
	if !u.Priced {
		w.everywhere(noPrice, c, quantity, u, nothing, nothing)
		return
	}
	for i := range c.seen {
		s := &c.seen[i]
		l := &w.limits[s.channel]
		if !l.loss.Under(u.Finished) && !l.guard.Under(u.Finished) {
			continue
		}
		m := w.examiners[s.channel].Margin(w.product, u.Finished)
		if percent, known := m.Percent(); m.Amount.Sign() < 0 {
			w.finds(belowCost, s, quantity, u, nothing.Sub(m.Amount), nothing)
		} else if known && percent.Less(w.x.MinMargin(w.product)) {
			w.finds(thinMargin, s, quantity, u, nothing.Sub(percent), nothing)
		}
	}
	if u.Finish.OverMaxOff {
		limit := *u.Finish.LowestByOff
		w.everywhere(overMaxOff, c, quantity, u, limit.Sub(u.Finished), limit)
	}
	if u.Finished.Sign() == 0 {
		w.everywhere(free, c, quantity, u, nothing, nothing)
	}
	if w.least.known && u.Finished.Less(w.least.Rat) {
		w.everywhere(belowMAP, c, quantity, u, w.least.Sub(u.Finished), w.least.Rat)
	}
	if w.list.known && w.list.Less(u.Finished) {
		w.everywhere(aboveList, c, quantity, u, u.Finished.Sub(w.list.Rat), w.list.Rat)
	}
}

// dearerByQuantity holds what a unit of more costs against what one of fewer does.
func (w *worker) dearerByQuantity(c *class, answers []answer) {
	each := make([]money.Rat, len(answers))
	for i, a := range answers {
		if !a.priced {
			continue
		}
		each[i] = a.total.Div(money.Int(int64(c.quantities[i])))
		for k := range i {
			if answers[k].priced && each[k].Less(each[i]) {
				for n := range c.seen {
					w.keep(&c.seen[n], c.quantities[i], finding{kind: dearerByQuantity, rule: -1, other: -1, cause: a.cause,
						worst: each[i].Sub(each[k]), price: each[i], priced: true, against: each[k]})
				}
			}
		}
	}
}

// abovePublic holds what a group or a customer pays against what a guest does.
func (w *worker) abovePublic(d *division, p *pair, answers [][]answer) {
	at := func(of int, quantity int) answer {
		c := &d.classes[of]
		i := len(c.quantities) - 1
		for i > 0 && c.quantities[i] > quantity {
			i--
		}
		if a := &answers[of][i]; !a.asked {
			w.hold(d, c)
			w.x.Take(c.rules, p.seen.at)
			a.total, a.priced = w.x.Total(w.product, c.quantities[i])
			a.asked = true
		}
		a := answers[of][i]
		if c.quantities[i] != quantity {
			a.total = a.total.Div(money.Int(int64(c.quantities[i]))).Mul(money.Int(int64(quantity)))
		}
		return a
	}
	// From one of these quantities to the next both cost so much each: the last shows the greatest difference.
	for _, of := range []int{p.guest, p.other} {
		for _, q := range d.classes[of].last {
			mine, theirs := at(p.other, q), at(p.guest, q)
			if mine.priced && theirs.priced && theirs.total.Less(mine.total) {
				w.keep(&p.seen, q, finding{kind: groupAbovePublic, rule: -1, other: -1, cause: mine.cause,
					worst: mine.total.Sub(theirs.total), price: mine.total, priced: true, against: theirs.total})
			}
		}
	}
}
