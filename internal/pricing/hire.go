package pricing

import (
	"slices"
	"strconv"
)

// MaxHireDays is the longest hire that is priced.
const MaxHireDays = 3660

// chargedDays are the local calendar days of a hire that are charged, as days since 1970-01-01: from the first to the
// last, less a first day begun late and a last day ended early, at least one.
func (h *Hire) chargedDays(times *HireTimes) (first, last Moment) {
	first, begun := h.From.day()
	last, ended := h.To.day()
	if times == nil {
		return first, last
	}
	freeFirst := times.FreeFirstDayFrom != nil && begun >= *times.FreeFirstDayFrom
	freeLast := times.FreeLastDayUntil != nil && ended <= *times.FreeLastDayUntil
	if freeFirst && first < last {
		first++
	}
	if freeLast && first < last {
		last--
	}
	return first, last
}

// Charged are the days of a hire that are charged, and whether the days of collection and return are free, as the hours
// that hold for the product have it.
type Charged struct {
	First, Last         Moment // midnight
	FreeFirst, FreeLast bool
}

func (v *view) charged(l *basketLine) *Charged {
	first, last := l.hire.chargedDays(v.hireTimes(l.product))
	out, _ := l.hire.From.day()
	back, _ := l.hire.To.day()
	return &Charged{first * Day, last * Day, first > out, last < back}
}

// hireTimes are the hours that hold for a product: its own, else the channel's, else the settings'.
func (v *view) hireTimes(p int32) *HireTimes {
	if own := v.products[p].Hire; own != nil {
		return own
	}
	if v.channel != nil && v.channel.Hire != nil {
		return v.channel.Hire
	}
	return v.settings.Hire
}

// daysOf are the days of a line by which rules take part in them, in the order of their first. A line that is not hired
// has one, at the question's moment. Of a hire, windows are tested at each day's noon, hours at the time of the day at
// which the goods are collected.
func (v *view) daysOf(l *basketLine) []daysAlike {
	if l.hire == nil {
		return []daysAlike{{v, 1}}
	}
	first, last := l.hire.chargedDays(v.hireTimes(l.product))
	_, collected := l.hire.From.day()
	onDay := func(r *rule, day Moment) Reason {
		if r.Window == nil && (r.campaign == nil || r.campaign.Window == nil) {
			return v.blocked[r.ordinal]
		}
		return v.bars(r.Rule, r.campaign, day*Day+Day/2, day*Day+collected)
	}
	forAll := v.forAllDays(first, last, onDay)
	var alike []daysAlike
	index := map[string]int{}
	reasons, key := make([]Reason, len(v.rules)), []byte{}
	for day := first; day <= last; day++ {
		key = key[:0]
		then := v.Engine.At(day*Day + Day/2)
		key = append(strconv.AppendInt(key, int64(then.era), 10), 0)
		for _, layer := range v.layers {
			for _, r := range layer.rules {
				reason, decided := forAll[r]
				if !decided {
					reason = onDay(r, day)
				}
				reasons[r.ordinal] = reason
				key = append(append(key, reason...), 0)
			}
		}
		at, seen := index[string(key)]
		if !seen {
			at = len(alike)
			index[string(key)] = at
			other := *v
			other.inEra(then)
			other.block(slices.Clone(reasons))
			alike = append(alike, daysAlike{&other, 0})
		}
		alike[at].days++
	}
	return alike
}

// forAllDays are the rules that take part on all charged days or on none, with why not.
func (v *view) forAllDays(first, last Moment, onDay func(*rule, Moment) Reason) map[*rule]Reason {
	decided := map[*rule]Reason{}
	for _, layer := range v.layers {
		for _, r := range layer.rules {
			if r.HireMatch != "inside" && r.HireMatch != "any" {
				continue
			}
			anyOpen, shut := false, Reason("")
			for day := first; day <= last; day++ {
				if reason := onDay(r, day); reason == "" {
					anyOpen = true
				} else if shut == "" {
					shut = reason
				}
			}
			if r.HireMatch == "any" && anyOpen {
				shut = ""
			}
			decided[r] = shut
		}
	}
	return decided
}
