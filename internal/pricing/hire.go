package pricing

// MaxHireDays is the longest hire that is priced.
const MaxHireDays = 3660

// ChargedDays are the local calendar days of a hire that are charged, as days since 1970-01-01: from the first to the
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
// has one, at the question's moment.
func (v *view) daysOf(l *basketLine) []daysAlike {
	if l.hire == nil {
		return []daysAlike{{v, 1}}
	}
	first, last := l.hire.chargedDays(v.hireTimes(l.product))
	_, collected := l.hire.From.day()
	n := int(last - first + 1)
	byDay := make([][]Reason, n)
	for i := range byDay {
		byDay[i] = make([]Reason, len(v.rules))
	}
	for _, layer := range v.layers {
		for _, r := range layer.rules {
			v.blockDays(r, first, collected, byDay)
		}
	}
	var alike []daysAlike
	index := map[string]int{}
	for i := range byDay {
		key := make([]byte, 0, 8*len(v.rules))
		for _, reason := range byDay[i] {
			key = append(append(key, reason...), 0)
		}
		at, seen := index[string(key)]
		if !seen {
			at = len(alike)
			index[string(key)] = at
			day := *v
			day.block(byDay[i])
			alike = append(alike, daysAlike{&day, 0})
		}
		alike[at].days++
	}
	return alike
}

// blockDays sets why a rule takes no part on each of the charged days. Windows are tested at noon, hours at the time of
// the day at which the goods are collected.
func (v *view) blockDays(r *rule, first, collected Moment, byDay [][]Reason) {
	open := 0
	var shut Reason
	for i := range byDay {
		day := (first + Moment(i)) * Day
		reason := v.bars(r.Rule, r.campaign, day+Day/2, day+collected)
		byDay[i][r.ordinal] = reason
		if reason == "" {
			open++
		} else if shut == "" {
			shut = reason
		}
	}
	same := shut
	switch {
	case r.HireMatch == "inside" && open < len(byDay):
	case r.HireMatch == "any" && open > 0:
		same = ""
	default:
		return
	}
	for i := range byDay {
		byDay[i][r.ordinal] = same
	}
}
