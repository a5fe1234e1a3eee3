package flagsearch

import (
	"cmp"
	"slices"
	"strings"
	"sync"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// Acknowledgement is that somebody lives with a flag until a moment, after which it returns.
type Acknowledgement struct {
	Who    string    `json:"who"`
	At     time.Time `json:"at"`
	Until  time.Time `json:"until"`
	Reason string    `json:"reason"`
}

// Spell is a time in which a flag was raised, between versions of the book.
type Spell struct {
	Raised    *int64     `json:"raised,omitempty"`
	RaisedAt  *time.Time `json:"raisedAt,omitempty"`
	Cleared   *int64     `json:"cleared,omitempty"`
	ClearedAt *time.Time `json:"clearedAt,omitempty"`
}

// Entry is the flags of one subject: one in each channel that shows it, or the only one.
type Entry struct {
	Subject      string                 `json:"subject"`
	Kind         string                 `json:"kind"`
	Severity     string                 `json:"severity"`
	SKU          string                 `json:"sku,omitempty"`
	Name         string                 `json:"name,omitempty" doc:"of the product, or of the witness's"`
	Rule         string                 `json:"rule,omitempty"`
	Rules        []string               `json:"rules,omitempty"`
	Cause        string                 `json:"cause,omitempty" doc:"the rule that lowered the price most, or that the flag is about"`
	Flags        []*bookfile.FlagAnswer `json:"flags" doc:"the worst first"`
	Loss         string                 `json:"loss,omitempty" doc:"what one sale loses, of the worst"`
	Week         string                 `json:"week,omitempty" doc:"what a week loses at the units sold of late"`
	Currency     string                 `json:"currency"`
	Acknowledged *Acknowledgement       `json:"acknowledged,omitempty"`
	// Sum is how the loss of the worst comes about.
	Sum *bookfile.MarginAnswer `json:"sum,omitempty" doc:"how the loss of the worst comes about, of a price that all units have"`

	loss, week money.Rat
}

// Filter says which entries are wanted; empty parts do not narrow.
type Filter struct {
	Kind, Severity, Channel, Layer, Campaign, Category, Cause, Text string
	Acknowledged                                                    bool // those that are, instead of those that are not
}

// Group is entries that belong together.
type Group struct {
	Key      string  `json:"key" doc:"what the group is known by"`
	Kind     string  `json:"kind" doc:"of all entries"`
	Cause    string  `json:"cause,omitempty" doc:"the rule behind all entries, where they are grouped by cause; empty: none is"`
	Severity string  `json:"severity" doc:"the gravest"`
	Count    int     `json:"count" doc:"entries"`
	Loss     string  `json:"loss,omitempty" doc:"what a sale of each loses together, in the book's currency"`
	Week     string  `json:"week,omitempty"`
	Entries  []Entry `json:"entries" doc:"the first of them, those with most money at stake first"`

	loss, week money.Rat
}

// entryList is the entries of what was found, made once.
type entryList struct {
	once sync.Once
	list []*Entry
}

// listed is a list that was made already.
func listed(list []*Entry) *entryList {
	made := &entryList{list: list}
	made.once.Do(func() {})
	return made
}

// all joins flags to entries, those with the most money at stake first within a kind. What they lose is of the book at
// which they are first asked for.
func (f *Found) all(snap *book.Snapshot) []*Entry {
	if f.entries == nil {
		return nil
	}
	f.entries.once.Do(func() { f.entries.list = entries(snap, f.Flags) })
	return f.entries.list
}

func entries(snap *book.Snapshot, found []*bookfile.FlagAnswer) []*Entry {
	at := make(map[string]*Entry, len(found))
	list := make([]*Entry, 0, len(found))
	for i, f := range found {
		about := Subject(f)
		if e := at[about]; e != nil {
			e.Flags = append(e.Flags, f)
			continue
		}
		e := &Entry{Subject: about, Kind: f.Kind, Severity: f.Severity, SKU: f.SKU, Rule: f.Rule, Rules: f.Rules,
			Cause: cmp.Or(f.Rule, f.Cause), Currency: f.Currency, Flags: found[i : i+1 : i+1]}
		if e.Cause == "" && len(f.Rules) > 0 {
			e.Cause = f.Rules[0]
		}
		if p := snap.Product(cmp.Or(f.SKU, f.Witness.SKU)); p != nil {
			e.Name = p.Name
		}
		at[about] = e
		list = append(list, e)
	}
	for _, e := range list {
		e.stake(snap)
	}
	slices.SortStableFunc(list, graver)
	return list
}

// graver orders entries: by kind, and within a kind those with the most money at stake first.
func graver(a, b *Entry) int {
	if a.Kind != b.Kind {
		return flags.Compare(flags.Kind(a.Kind), flags.Kind(b.Kind))
	}
	return cmp.Or(b.week.Cmp(a.week), b.loss.Cmp(a.loss))
}

// merged is two lists in one order.
func merged(a, b []*Entry) []*Entry {
	list := make([]*Entry, 0, len(a)+len(b))
	for len(a) > 0 && len(b) > 0 {
		if graver(a[0], b[0]) <= 0 {
			list, a = append(list, a[0]), a[1:]
		} else {
			list, b = append(list, b[0]), b[1:]
		}
	}
	return append(append(list, a...), b...)
}

func flagsOf(list []*Entry) []*bookfile.FlagAnswer {
	all := make([]*bookfile.FlagAnswer, 0, len(list))
	for _, e := range list {
		all = append(all, e.Flags...)
	}
	return all
}

// carried is entries of the book before an edit, for as long as nobody has looked at their products again.
type carried struct {
	list []*Entry
	// of is the product of each that the edit touches; -1: it touches none.
	of   []int32
	from string // the moment that is looked at
}

func newCarried(list []*Entry, before *pricing.Engine, touched pricing.Set, from pricing.Moment) *carried {
	c := &carried{list, make([]int32, len(list)), from.String()}
	for i, e := range list {
		c.of[i] = -1
		if p, exists := before.ProductNumber(e.SKU); exists && touched.Has(p) {
			c.of[i] = p
		}
	}
	return c
}

// left are those that still stand while some products are left to be looked at, without what was seen anew. Of a
// product that was looked at there stands what it shows at a later moment than was looked at.
func (c *carried) left(snap *book.Snapshot, some pricing.Set, anew []*Entry) []*Entry {
	known := make(map[string]bool, len(anew))
	for _, e := range anew {
		known[e.Subject] = true
	}
	list := make([]*Entry, 0, len(c.list))
	moved := false
	for i, e := range c.list {
		if p := c.of[i]; p >= 0 {
			if known[e.Subject] {
				continue
			}
			if !some.Has(p) {
				later := slices.DeleteFunc(slices.Clone(e.Flags),
					func(f *bookfile.FlagAnswer) bool { return f.Witness.At <= c.from })
				if len(later) == 0 {
					continue
				}
				if len(later) < len(e.Flags) {
					rest := *e
					rest.Flags, rest.loss, rest.week, rest.Loss, rest.Week = later, money.Rat{}, money.Rat{}, "", ""
					rest.stake(snap)
					e, moved = &rest, true
				}
			}
		}
		list = append(list, e)
	}
	if moved {
		slices.SortStableFunc(list, graver)
	}
	return list
}

// stake works out what the flags of an entry lose.
func (e *Entry) stake(snap *book.Snapshot) {
	lost := func(f *bookfile.FlagAnswer) money.Rat {
		if f.MarginAmount == nil {
			return money.Int(0)
		}
		left, err := money.Parse(*f.MarginAmount)
		if err != nil || left.Sign() > 0 {
			return money.Int(0)
		}
		loss := money.Int(0).Sub(left)
		if rate, other := snap.Book.Settings.Rates[f.Currency]; other && rate.Sign() > 0 {
			loss = loss.Div(rate)
		}
		return loss
	}
	if k := flags.Kind(e.Kind); k != flags.BelowCost && k != flags.OfferBelowCost {
		return
	}
	slices.SortStableFunc(e.Flags, func(a, b *bookfile.FlagAnswer) int { return lost(b).Cmp(lost(a)) })
	e.loss = lost(e.Flags[0])
	if e.loss.Sign() <= 0 {
		return
	}
	digits, _ := money.Digits(snap.Book.Settings.Currency)
	e.Loss = e.loss.Fixed(digits)
	if p := snap.Product(e.SKU); p != nil && p.Sold != nil {
		e.week = e.loss.Mul(*p.Sold).Mul(money.Ratio(7, 30)) // units sold are those of the last 30 days
		e.Week = e.week.Fixed(digits)
	}
}

// wants reports whether a filter lets an entry through.
func (f *Filter) wants(snap *book.Snapshot, e *Entry) bool {
	if (e.Acknowledged != nil) != f.Acknowledged || f.Kind != "" && f.Kind != e.Kind ||
		f.Severity != "" && f.Severity != e.Severity || f.Cause != "" && f.Cause != e.Cause {
		return false
	}
	if f.Channel != "" && !slices.ContainsFunc(e.Flags, func(x *bookfile.FlagAnswer) bool { return x.Channel == f.Channel }) {
		return false
	}
	rules := append([]string{e.Rule, e.Cause}, e.Rules...)
	some := func(is func(r *pricing.Rule) bool) bool {
		return slices.ContainsFunc(rules, func(code string) bool {
			r := snap.Rule(code)
			return r != nil && is(r)
		})
	}
	if f.Layer != "" && !some(func(r *pricing.Rule) bool { return r.Layer.String() == f.Layer }) ||
		f.Campaign != "" && !some(func(r *pricing.Rule) bool { return r.Campaign == f.Campaign }) {
		return false
	}
	if f.Category != "" {
		p := snap.Product(cmp.Or(e.SKU, e.Flags[0].Witness.SKU))
		if p == nil || p.Category != f.Category && !strings.HasPrefix(p.Category, f.Category+"/") {
			return false
		}
	}
	if f.Text == "" {
		return true
	}
	text := strings.ToLower(strings.Join(append([]string{e.SKU, e.Name}, rules...), " "))
	for _, code := range rules {
		if r := snap.Rule(code); r != nil {
			text += " " + strings.ToLower(r.Name)
		}
	}
	return strings.Contains(text, strings.ToLower(f.Text))
}

// sum works out how the loss of an entry comes about; nil where it is of some units only.
func (e *Entry) sum(snap *book.Snapshot) {
	f := e.Flags[0]
	if flags.Kind(e.Kind) != flags.BelowCost || f.MarginAmount == nil {
		return
	}
	a, err := snap.Engine.Price(f.Question())
	digits, _ := money.Digits(f.Currency)
	if err == nil && len(a.Portions) == 1 && a.Margin != nil && a.Margin.Amount.Fixed(digits) == *f.MarginAmount {
		e.Sum = bookfile.Answer(a).Margin
	}
}

// shownOf is how many entries of a group are told at once.
const shownOf = 40

// Groups are the entries that a filter lets through, by kind or by cause, and how many of each kind pass its other
// parts.
func Groups(snap *book.Snapshot, found Found, seen map[string]Acknowledgement, f Filter, byCause bool,
	skip int) (groups []Group, kinds map[string]int) {
	at := map[string]int{}
	kinds = map[string]int{}
	digits, _ := money.Digits(snap.Book.Settings.Currency)
	groups = []Group{}
	of := f.Kind
	f.Kind = ""
	list := found.all(snap)
	for _, known := range list {
		e := *known
		if a, is := seen[e.Subject]; is {
			e.Acknowledged = &a
		}
		if !f.wants(snap, &e) {
			continue
		}
		if kinds[e.Kind]++; of != "" && of != e.Kind {
			continue
		}
		key := e.Kind
		if byCause {
			key = e.trouble()
		}
		i, known := at[key]
		if !known {
			i = len(groups)
			at[key] = i
			g := Group{Key: key, Kind: e.Kind, Severity: e.Severity, Entries: []Entry{}}
			if byCause {
				g.Cause = e.Cause
			}
			groups = append(groups, g)
		}
		g := &groups[i]
		g.Count++
		g.loss, g.week = g.loss.Add(e.loss), g.week.Add(e.week)
		if g.Count > skip && len(g.Entries) < shownOf {
			e.sum(snap)
			g.Entries = append(g.Entries, e)
		}
	}
	for i := range groups {
		if g := &groups[i]; g.loss.Sign() > 0 {
			g.Loss = g.loss.Fixed(digits)
			if g.week.Sign() > 0 {
				g.Week = g.week.Fixed(digits)
			}
		}
	}
	if byCause {
		slices.SortStableFunc(groups, func(a, b Group) int {
			return cmp.Or(b.week.Cmp(a.week), b.loss.Cmp(a.loss), severityOf(a.Severity)-severityOf(b.Severity))
		})
	}
	return groups, kinds
}

func severityOf(s string) int {
	return slices.Index([]string{string(flags.Error), string(flags.Warning), string(flags.Note)}, s)
}

// trouble is what an entry is counted with: what one rule, or none, brings about of one kind is one trouble, on however
// many products. What is no product's is one of its own.
func (e *Entry) trouble() string {
	if e.SKU == "" {
		return e.Subject
	}
	return e.Kind + " " + e.Cause
}

// Counts are how many troubles nobody has acknowledged: errors, and others that are no mere notes.
func Counts(snap *book.Snapshot, found Found, seen map[string]Acknowledgement) (errors, others int) {
	told := map[string]bool{}
	for _, e := range found.all(snap) {
		if _, acknowledged := seen[e.Subject]; acknowledged || told[e.trouble()] {
			continue
		}
		told[e.trouble()] = true
		switch flags.Severity(e.Severity) {
		case flags.Error:
			errors++
		case flags.Warning:
			others++
		}
	}
	return errors, others
}

// Together are the subjects of one trouble that a filter lets through; its name is the key of a group by cause.
func Together(snap *book.Snapshot, found Found, seen map[string]Acknowledgement, f Filter,
	trouble string) (subjects []string) {
	for _, known := range found.all(snap) {
		if known.trouble() != trouble {
			continue
		}
		e := *known
		if a, is := seen[e.Subject]; is {
			e.Acknowledged = &a
		}
		if f.wants(snap, &e) {
			subjects = append(subjects, e.Subject)
		}
	}
	return subjects
}
