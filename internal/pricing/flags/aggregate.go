package flags

import (
	"slices"

	"dogbane/internal/pricing"
)

// subject is what a finding is about: there is one flag of each.
type subject struct {
	kind        kind
	product     int32 // -1: it is about rules
	rule, other int32 // ordinals
	rules       string
	channel     int16
}

func (f *finding) subject() subject {
	key := subject{f.kind, -1, f.rule, f.other, f.rules, -1}
	if Table[f.kind].Channels {
		key.channel = f.channel
	}
	if f.rule < 0 && f.kind != deriveCycle {
		key.product, key.rules = f.product, ""
	}
	return key
}

// Flags are all flags of the book, the gravest kinds first.
func (s *Search) Flags() ([]Flag, error) {
	worst := map[subject]*finding{}
	count := map[subject]int{}
	for p := range s.found {
		for i := range s.found[p].findings {
			f := &s.found[p].findings[i]
			key := f.subject()
			count[key]++
			if old := worst[key]; old == nil || f.worse(old) {
				worst[key] = f
			}
		}
	}
	var list []Flag
	for key, f := range worst {
		flag := s.flag(f)
		flag.Products = count[key]
		list = append(list, flag)
	}
	list = append(list, s.neverWins()...)
	list = append(list, s.wholeRules()...)
	offers, err := s.offers()
	if err != nil {
		return nil, err
	}
	list = append(list, offers...)
	sortFlags(list)
	return list, nil
}

// neverWins are the rules that fit somewhere and apply nowhere.
func (s *Search) neverWins() (list []Flag) {
	applies := map[int32]bool{}
	for p := range s.found {
		for _, r := range s.found[p].applied {
			applies[r] = true
		}
	}
	type loser struct {
		witness  shut
		product  int32
		by       map[string]bool
		products int
	}
	losers := map[int32]*loser{}
	for p := range s.found {
		last := int32(-1)
		for _, h := range s.found[p].shut {
			if applies[h.rule] {
				continue
			}
			l := losers[h.rule]
			if l == nil {
				l = &loser{h, int32(p), map[string]bool{}, 0}
				losers[h.rule] = l
			}
			if h.at < l.witness.at {
				l.witness, l.product = h, int32(p)
			}
			if h.by >= 0 {
				l.by[s.asked.rules[int(h.by)].Code] = true
			}
			if last != h.rule {
				l.products++
			}
			last = h.rule
		}
	}
	for r, l := range losers {
		h := l.witness
		f := s.flag(&finding{kind: place[NeverWins], rule: r, other: -1, channel: h.channel, who: h.who, at: h.at,
			quantity: h.quantity, product: l.product})
		f.Products = l.products
		for code := range l.by {
			f.Rules = append(f.Rules, code)
		}
		slices.Sort(f.Rules)
		list = append(list, f)
	}
	return list
}

// tally is how many products show each flag that is about rules, and on how many each rule applies, or fits and never
// applies.
type tally struct {
	subjects      map[subject]int
	applied, shut []int // by ordinal
}

// count counts products, or takes them out of a tally.
func (t *tally) count(f *found, by int) {
	for i := range f.findings {
		if key := f.findings[i].subject(); key.product < 0 {
			t.subjects[key] += by
		}
	}
	for _, r := range f.applied {
		t.applied[r] += by
	}
	last := int32(-1)
	for _, h := range f.shut {
		if h.rule != last {
			t.shut[h.rule] += by
		}
		last = h.rule
	}
}

// tally is that of all products; it is made once.
func (s *Search) tally() *tally {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.tallied == nil {
		t := &tally{map[subject]int{}, make([]int, len(s.codes)), make([]int, len(s.codes))}
		for p := range s.found {
			t.count(&s.found[p], 1)
		}
		s.tallied = t
	}
	return s.tallied
}

// against tells which flags a search has that another, of the book before an edit, has not, and the other way round.
// Both know rules by the same ordinals.
func (s *Search) against(before *Search, touched pricing.Set) (raised, cleared []Flag, err error) {
	if n := min(len(s.codes), len(before.codes)); !slices.Equal(s.codes[:n], before.codes[:n]) {
		return s.anew(before)
	}
	was := before.tally()
	t := &tally{map[subject]int{}, make([]int, max(len(s.codes), len(was.applied))),
		make([]int, max(len(s.codes), len(was.applied)))}
	touched.Each(func(p int32) bool {
		t.count(&before.found[p], -1)
		t.count(&s.found[p], 1)
		raised = append(raised, s.only(before, p)...)
		cleared = append(cleared, before.only(s, p)...)
		return true
	})
	for key, by := range t.subjects {
		switch n := was.subjects[key]; {
		case by > 0 && n == 0:
			raised = append(raised, s.aboutRules(key))
		case by < 0 && n+by == 0:
			cleared = append(cleared, before.aboutRules(key))
		}
	}
	for o := range t.applied {
		at := func(list []int) int {
			if o < len(list) {
				return list[o]
			}
			return 0
		}
		never := func(applied, shut int) bool { return applied == 0 && shut > 0 }
		then := never(at(was.applied), at(was.shut))
		now := never(at(was.applied)+t.applied[o], at(was.shut)+t.shut[o])
		if key := (subject{place[NeverWins], -1, int32(o), -1, "", -1}); now && !then {
			raised = append(raised, s.aboutRules(key))
		} else if then && !now {
			cleared = append(cleared, before.aboutRules(key))
		}
	}
	mine, theirs, err := s.others(before)
	if err != nil {
		return nil, nil, err
	}
	more, fewer := different(mine, theirs)
	raised, cleared = append(raised, more...), append(cleared, fewer...)
	sortFlags(raised)
	sortFlags(cleared)
	return raised, cleared, nil
}

// anew compares all flags of two searches that know rules by other ordinals.
func (s *Search) anew(before *Search) (raised, cleared []Flag, err error) {
	now, err := s.Flags()
	if err != nil {
		return nil, nil, err
	}
	was, err := before.Flags()
	if err != nil {
		return nil, nil, err
	}
	raised, cleared = different(now, was)
	return raised, cleared, nil
}

// different are the flags of two lists that the other has not.
func different(a, b []Flag) (onlyA, onlyB []Flag) {
	keys := func(list []Flag) map[string]bool {
		set := map[string]bool{}
		for i := range list {
			set[list[i].key()] = true
		}
		return set
	}
	inA, inB := keys(a), keys(b)
	return slices.DeleteFunc(slices.Clone(a), func(f Flag) bool { return inB[f.key()] }),
		slices.DeleteFunc(slices.Clone(b), func(f Flag) bool { return inA[f.key()] })
}

// others are the flags of both searches that no product shows alone.
func (s *Search) others(before *Search) (mine, theirs []Flag, err error) {
	for _, of := range []struct {
		s    *Search
		list *[]Flag
	}{{s, &mine}, {before, &theirs}} {
		offers, err := of.s.offers()
		if err != nil {
			return nil, nil, err
		}
		*of.list = append(of.s.wholeRules(), offers...)
	}
	return mine, theirs, nil
}

func (f *Flag) key() string {
	key := string(f.Kind) + "\x00" + f.SKU + "\x00" + f.Rule + "\x00" + f.Channel
	if f.Rule == "" {
		for _, r := range f.Rules {
			key += "\x00" + r
		}
	}
	return key
}

// only are the flags about one product that another search has not.
func (s *Search) only(other *Search, p int32) (list []Flag) {
	for i := range s.found[p].findings {
		f := &s.found[p].findings[i]
		key := f.subject()
		same := func(o finding) bool { return o.subject() == key }
		if key.product < 0 || slices.ContainsFunc(other.found[p].findings, same) {
			continue
		}
		list = append(list, s.flag(f))
	}
	return list
}

// aboutRules is a flag about rules without its figures.
func (s *Search) aboutRules(key subject) Flag {
	f := &finding{kind: key.kind, rule: key.rule, other: key.other, rules: key.rules, cause: -1, at: s.asked.From}
	if key.channel >= 0 {
		f.channel = key.channel
	}
	flag := s.flag(f)
	flag.Witness.SKU = ""
	return flag
}
