package flags_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/pricing/pricingtest"
)

// reading finds flags by asking every question of a small book one by one and reading the trails of the answers.
type reading struct {
	t      *testing.T
	book   *pricing.Book
	engine *pricing.Engine
	asked  flags.Question
	rules  map[string]*pricing.Rule
	alone  map[string][]*pricing.Engine // by rule with breaks: one of which each break stands alone
	less   map[string]*pricing.Engine   // by rule: the book without it

	fits, applies map[string]bool
	unsure        map[string]bool // rules of which the trail does not tell whether they fit
}

func key(kind flags.Kind, subject, channel string) string {
	if e := flags.Of(kind); !e.Channels {
		channel = ""
	}
	return fmt.Sprintf("%s of %s at %q", kind, subject, channel)
}

func (r *reading) price(e *pricing.Engine, q pricing.Question) *pricing.Answer {
	a, err := e.Price(q)
	require.NoError(r.t, err)
	return a
}

// judge are the flags that one question shows.
func (r *reading) judge(q pricing.Question) (found []string) {
	p, _ := r.engine.ProductNumber(q.SKU)
	product := r.engine.Products()[p].At(q.At)
	x, err := r.engine.Examine(q.Viewpoint)
	require.NoError(r.t, err)
	if !x.Sells(p) {
		return nil
	}
	about := func(kind flags.Kind, subject string) { found = append(found, key(kind, subject, q.Channel)) }
	if product.Cost == nil {
		about(flags.NoCost, q.SKU)
	}
	a := r.price(r.engine, q)
	var limits *pricing.Limits
	for i := range r.book.Channels {
		if r.book.Channels[i].Code == q.Channel {
			limits = r.book.Channels[i].Limits
		}
	}
	list, lists := x.ListPrice(p)
	for _, portion := range a.Portions {
		r.trail(q, &portion.Trail, about)
		found = append(found, r.cannot(q, &portion.Trail)...)
		if portion.Trail.Finish == nil {
			if !product.OnRequest {
				about(flags.NoPrice, q.SKU)
			}
			continue
		}
		// Without options a portion's unit is its finished price.
		unit, fin := *portion.Unit, portion.Trail.Finish
		if m := x.Margin(p, unit); m != nil {
			percent, known := m.Percent()
			if m.Amount.Sign() < 0 {
				about(flags.BelowCost, q.SKU)
			} else if known && percent.Less(x.MinMargin(p)) {
				about(flags.ThinMargin, q.SKU)
			}
		}
		if fin.OverMaxOff {
			about(flags.OverMaxOff, q.SKU)
		}
		if unit.Sign() == 0 {
			about(flags.Free, q.SKU)
		}
		if least, known := x.Shown(p, product.MAP); known && unit.Less(least) {
			about(flags.BelowMAP, q.SKU)
		}
		if lists && list.Less(unit) {
			about(flags.AboveList, q.SKU)
		}
		steps := portion.Trail.Steps
		catalog := portion.Trail.List
		for _, s := range steps {
			if s.Layer == pricing.Catalog {
				after := s.After
				catalog = &after
			}
		}
		if limits == nil || catalog == nil || !fin.Raw.Less(*catalog) {
			continue
		}
		if limits.WholeUnits && !unit.Round(0, money.Down).Equal(unit) {
			about(flags.LimitWholeUnits, q.SKU)
		}
		if limits.NeedsReference && product.RRP == nil && !(lists && unit.Less(list)) {
			about(flags.LimitReference, q.SKU)
		}
		if limits.MinRating != nil && product.Rating != nil && product.Rating.Less(*limits.MinRating) {
			about(flags.LimitRating, q.SKU)
		}
		r.reduction(q, x, unit, *catalog, about)
		for _, s := range steps {
			if s.Layer == pricing.Catalog || !r.lowered(q, steps, s) {
				continue
			}
			rule := r.rules[s.Rule]
			if limits.NeedsTerms && (rule.Show == nil || rule.Show.Terms == "") {
				about(flags.LimitTerms, s.Rule)
			}
			if begins := r.begins(rule); limits.LeadHours != nil && begins > r.asked.From &&
				money.Int(int64(begins-r.asked.From)).Less(limits.LeadHours.Mul(money.Int(3600))) {
				about(flags.LimitLeadTime, s.Rule)
			}
		}
	}
	r.compare(q, a, about)
	return found
}

// lowered reports whether a rule took something off. Where differences are added it did if its own is below 0, whatever
// the sum is held at.
func (r *reading) lowered(q pricing.Question, steps []pricing.Step, s pricing.Step) bool {
	add := slices.ContainsFunc(r.book.Settings.Layers, func(l pricing.LayerSetting) bool {
		return l.Layer == s.Layer && l.Mode == pricing.Add
	})
	if !add || s.Before == nil {
		return s.Before != nil && s.After.Less(*s.Before)
	}
	entered := *steps[slices.IndexFunc(steps, func(o pricing.Step) bool { return o.Layer == s.Layer })].Before
	result := money.Max(s.Raw, money.Int(0))
	if r.book.Settings.Rounding.EveryStep {
		code := r.book.Settings.Currency
		if c := r.channel(q.Channel); c != nil && c.Currency != "" {
			code = c.Currency
		}
		digits, _ := money.Digits(code)
		result = result.Round(digits, r.book.Settings.Rounding.Mode)
	}
	return result.Less(entered)
}

// reduction holds a reduced price against what its channel takes off: measured from the price after the catalog layer,
// finished as another engine does that has no rules but that layer's.
func (r *reading) reduction(q pricing.Question, x *pricing.Examiner, unit, catalog money.Rat, about func(flags.Kind, string)) {
	p, _ := r.engine.ProductNumber(q.SKU)
	limits := r.channel(q.Channel).Limits
	if limits.MaxOffPercent == nil {
		return
	}
	if _, lists := x.ListPrice(p); !lists {
		return
	}
	from, _ := x.CatalogPrice(p, &pricing.Exam{Catalog: catalog, HasCatalog: true})
	if from.Sign() <= 0 {
		return
	}
	off := from.Sub(unit).Div(from).Mul(money.Int(100))
	if limits.MaxOffPercent.Less(off) || off.Less(*limits.MinOffPercent) {
		about(flags.LimitDiscount, q.SKU)
	}
}

func (r *reading) channel(code string) *pricing.Channel {
	for i := range r.book.Channels {
		if r.book.Channels[i].Code == code {
			return &r.book.Channels[i]
		}
	}
	return nil
}

func (r *reading) campaign(rule *pricing.Rule) *pricing.Campaign {
	for i := range r.book.Campaigns {
		if r.book.Campaigns[i].Code == rule.Campaign {
			return &r.book.Campaigns[i]
		}
	}
	return nil
}

// begins is when a rule and its campaign both have begun; 0: always.
func (r *reading) begins(rule *pricing.Rule) (at pricing.Moment) {
	windows := []*pricing.Window{rule.Window}
	if c := r.campaign(rule); c != nil {
		windows = append(windows, c.Window)
	}
	for _, w := range windows {
		if w != nil && w.From != nil {
			at = max(at, *w.From)
		}
	}
	return at
}

// whole are the flags that no price shows: rules without goods, and rules that are open in no hour of the span.
func (r *reading) whole() (found []string) {
	for code, rule := range r.rules {
		c := r.campaign(rule)
		if rule.Status != pricing.On || c != nil && c.Status != pricing.On {
			continue
		}
		holds := false
		for i := range r.book.Products {
			p, _ := r.engine.ProductNumber(r.book.Products[i].SKU)
			for at := r.asked.From; at < r.asked.To; at += pricing.Hour {
				then := r.engine.At(at)
				then.Rules(func(ordinal int, x *pricing.Rule, _ pricing.Set) {
					holds = holds || x.Code == code && then.Reaches(ordinal).Has(p)
				})
			}
		}
		if !holds {
			found = append(found, key(flags.MatchesNothing, code, ""))
		}
		open := false
		for at := r.asked.From; at < r.asked.To; at += pricing.Minute {
			open = open || (rule.Window == nil || rule.Window.Open(at)) && (c == nil || c.Window == nil || c.Window.Open(at))
		}
		if !open {
			found = append(found, key(flags.NeverOpen, code, ""))
		}
	}
	return found
}

// cannot are the rules that take part at a question in a channel which cannot do what they need.
func (r *reading) cannot(q pricing.Question, trail *pricing.Trail) (found []string) {
	channel := r.channel(q.Channel)
	if channel == nil || channel.Can == nil {
		return nil
	}
	can := func(what string) bool { return slices.Contains(channel.Can, what) }
	parts := map[string]bool{}
	for _, s := range trail.Steps {
		parts[s.Rule] = true
	}
	for _, m := range trail.Missed {
		switch m.Reason {
		case pricing.SwitchedOff, pricing.OtherCurrency, pricing.OtherChannel, pricing.OtherAudience, pricing.NotYet, pricing.Ended,
			pricing.OutsideHours:
		default:
			parts[m.Rule] = true
		}
	}
	for code := range parts {
		rule := r.rules[code]
		breaks, counting := r.breaksOf(rule)
		narrow := func(a *pricing.Audience) bool {
			return a != nil && (a.Groups != nil || a.Customers != nil) &&
				(channel.Group == "" || !slices.Contains(a.Groups, channel.Group))
		}
		c := r.campaign(rule)
		if len(breaks) > 0 && (!can("breaks") || counting.Method == pricing.Graduated && !can("brackets")) || !can("groups") && (narrow(rule.Audience) || c != nil && narrow(c.Audience)) {
			found = append(found, key(flags.ChannelCannot, code, q.Channel))
		}
	}
	return found
}

// trail reads what the rules of one portion did to each other.
func (r *reading) trail(q pricing.Question, trail *pricing.Trail, about func(flags.Kind, string)) {
	for _, s := range trail.Steps {
		r.fits[s.Rule], r.applies[s.Rule] = true, true
	}
	for _, m := range trail.Missed {
		rule := r.rules[m.Rule]
		switch m.Reason {
		case pricing.PriceEnded, pricing.LayerEnded:
			if breaks, counting := r.breaksOf(rule); len(breaks) > 0 {
				if counting.Measure != "quantity" || counting.Count == "where" {
					r.unsure[m.Rule] = true
				} else if !money.Int(int64(q.Quantity)).Less(breaks[0].From) && q.Quantity >= rule.MinQuantity {
					r.fits[m.Rule] = true
				}
			} else if q.Quantity >= rule.MinQuantity {
				r.fits[m.Rule] = true
			}
		case pricing.NoPrice, pricing.NoCost, pricing.NoLevel, pricing.NoBasis, pricing.WouldRaise, pricing.NotLowest,
			pricing.NotHighest:
			r.fits[m.Rule] = true
		case pricing.Outranked:
			r.fits[m.Rule] = true
			for _, s := range trail.Steps {
				if s.Rule == m.By && r.rules[m.By].Rank == rule.Rank && !s.After.Equal(*m.Would) {
					about(flags.Tie, min(m.By, m.Rule)+"+"+max(m.By, m.Rule))
				}
			}
		}
	}
	for _, s := range trail.Steps {
		for _, p := range trail.Steps {
			if s.Layer == pricing.Sale && p.Layer == pricing.Promotion && r.lowered(q, trail.Steps, s) && r.lowered(q, trail.Steps, p) && r.rules[p.Rule].Of == "" &&
				(p.Effect.Kind == pricing.PercentOff || p.Effect.Kind == pricing.AmountOff) {
				about(flags.Doubled, min(s.Rule, p.Rule)+"+"+max(s.Rule, p.Rule))
			}
		}
	}
}

func (r *reading) breaksOf(rule *pricing.Rule) ([]pricing.Break, pricing.Counting) {
	for i := range r.book.Ladders {
		if l := &r.book.Ladders[i]; l.Code == rule.Ladder {
			return l.Breaks, l.Counting
		}
	}
	return rule.Breaks, rule.Counting
}

// compare holds an answer against others: of a guest, of fewer, of a book without a rule.
func (r *reading) compare(q pricing.Question, a *pricing.Answer, about func(flags.Kind, string)) {
	if a.Total == nil {
		return
	}
	sum := func(a *pricing.Answer) money.Rat {
		total := money.Int(0)
		for _, p := range a.Portions {
			total = total.Add(p.Unit.Mul(money.Int(int64(p.Quantity))))
		}
		return total
	}
	total := sum(a)
	guest := q
	guest.Viewpoint = q.Guest()
	guest.With = q.With
	if g := r.price(r.engine, guest); g.Total != nil && sum(g).Less(total) {
		about(flags.GroupAbovePublic, q.SKU)
	}
	for _, n := range r.asked.Quantities {
		fewer := q
		fewer.Quantity = n
		if n < q.Quantity {
			if f := r.price(r.engine, fewer); f.Total != nil &&
				sum(f).Div(money.Int(int64(n))).Less(total.Div(money.Int(int64(q.Quantity)))) {
				about(flags.DearerByQuantity, q.SKU)
			}
		}
	}
	position := func(l pricing.Layer) int {
		return slices.IndexFunc(r.book.Settings.Layers, func(s pricing.LayerSetting) bool { return s.Layer == l })
	}
	for _, portion := range a.Portions {
		for _, s := range portion.Trail.Steps {
			if s.From == nil {
				continue
			}
			if _, c := r.breaksOf(r.rules[s.Rule]); c.Method == pricing.Whole && c.Measure == "quantity" && q.Quantity > 1 &&
				s.From.Equal(money.Int(int64(q.Quantity))) {
				fewer := q
				fewer.Quantity--
				if f := r.price(r.engine, fewer); f.Total != nil && total.Less(sum(f)) {
					about(flags.BreakCliff, s.Rule)
				}
			}
			later := slices.ContainsFunc(portion.Trail.Steps, func(o pricing.Step) bool { return position(o.Layer) > position(s.Layer) })
			if later && r.lowered(q, portion.Trail.Steps, s) {
				if r.less[s.Rule] == nil {
					r.less[s.Rule], _ = r.engine.With(pricing.Edit{Code: s.Rule})
				}
				if w := r.price(r.less[s.Rule], q); w.Total != nil && sum(w).Equal(total) {
					about(flags.BreakLost, s.Rule)
				}
			}
		}
	}
}

// inverted are the rules of which, at a question that reaches it, a break alone makes a higher price than a lower break
// alone would.
func (r *reading) inverted(q pricing.Question) (found []string) {
	for code, engines := range r.alone {
		breaks, counting := r.breaksOf(r.rules[code])
		if counting.Measure != "quantity" || counting.Method == pricing.Graduated || derives(breaks) {
			continue
		}
		results := make([]*money.Rat, len(engines))
		for i, e := range engines {
			a := r.price(e, q)
			for _, s := range a.Portions[0].Trail.Steps {
				if s.Rule == code {
					after := s.After
					results[i] = &after
				}
			}
			for _, m := range a.Portions[0].Trail.Missed {
				if m.Rule == code && m.Would != nil {
					results[i] = m.Would
				}
			}
		}
		for hi := range breaks {
			for lo := range hi {
				if !money.Int(int64(q.Quantity)).Less(breaks[hi].From) && results[hi] != nil && results[lo] != nil &&
					results[lo].Less(*results[hi]) {
					found = append(found, key(flags.BreakInverted, code, ""))
				}
			}
		}
	}
	return found
}

// derives reports whether a break derives prices: where it stands alone, its source may cost otherwise.
func derives(breaks []pricing.Break) bool {
	return slices.ContainsFunc(breaks, func(b pricing.Break) bool { return b.Effect.Kind == pricing.ToDerived })
}

// withBreaksAlone makes the books in which each break of a rule stands alone, from the lowest on.
func (r *reading) withBreaksAlone() {
	for i := range r.book.Rules {
		rule := &r.book.Rules[i]
		breaks, counting := r.breaksOf(rule)
		if len(breaks) < 2 || counting.Count == "where" {
			continue
		}
		for k := range breaks {
			one := *rule
			one.Ladder, one.Counting = "", counting
			one.Breaks = []pricing.Break{{From: breaks[0].From, Effect: breaks[k].Effect}}
			e, _ := r.engine.With(pricing.Edit{Code: rule.Code, Rule: &one})
			r.alone[rule.Code] = append(r.alone[rule.Code], e)
		}
	}
}

// small makes a random book with few products and with limits, and the span that is looked at.
func small(rng *rand.Rand) (*pricing.Book, flags.Question) {
	b := pricingtest.Book(rng)
	b.Products, b.Channels = b.Products[:5], b.Channels[:2]
	for i := range b.Products {
		if list := b.Products[i].List; list != nil && rng.IntN(3) == 0 {
			least := list.Mul(money.Ratio(int64(5+rng.IntN(5)), 10))
			b.Products[i].MAP = &least
		}
	}
	least := money.MustParse("2.5")
	most, lead := money.Int(int64(20+rng.IntN(40))), money.Int(int64(1+rng.IntN(40)))
	b.Channels[0].Limits = &pricing.Limits{WholeUnits: true, NeedsReference: true, NeedsTerms: true, MinRating: &least,
		MaxOffPercent: &most, MinOffPercent: &least, LeadHours: &lead, RefusedWords: []string{"roh", "P", "طين"}}
	b.Channels[1].Can = [][]string{{}, {"breaks"}, {"groups"}}[rng.IntN(3)]
	from := pricingtest.Noon + pricing.Moment(rng.IntN(9)-4)*pricing.Day + pricing.Moment(rng.IntN(24))*pricing.Hour
	for _, p := range b.Products {
		if len(p.Later) > 0 && rng.IntN(3) > 0 { // within the span, or where it begins
			p.Later = p.Later[:1]
			p.Later[0].From = from + pricing.Moment(rng.IntN(5)*2)*pricing.Hour
		}
	}
	return b, flags.Question{From: from, To: from + 9*pricing.Hour, Quantities: b.Quantities()}
}

// The search finds what asking every question one by one finds, no more and no less, and each witness shows its flag
// when it is asked again.
func TestSearchAgainstReference(t *testing.T) {
	books := 40
	if testing.Short() {
		books = 8
	} else if os.Getenv("DOGBANE_LONG") != "" {
		books = 3000
	}
	raised := map[string]int{}
	for seed := range uint64(books) {
		book, q := small(rand.New(rand.NewPCG(seed, 13)))
		r := &reading{t: t, book: book, engine: pricing.Compile(book), asked: q, rules: map[string]*pricing.Rule{},
			alone: map[string][]*pricing.Engine{}, less: map[string]*pricing.Engine{}, fits: map[string]bool{}, applies: map[string]bool{},
			unsure: map[string]bool{}}
		for i := range book.Rules {
			rule := &book.Rules[i]
			r.rules[rule.Code] = rule
			// Units that come out alike share a trail: that of the first, whom a graduated break may not reach.
			_, counting := r.breaksOf(rule)
			r.unsure[rule.Code] = counting.Method == pricing.Graduated
		}
		r.withBreaksAlone()
		want := map[string]bool{}
		for _, k := range r.whole() {
			want[k] = true
		}
		for vp := range everyViewpoint(book, q) {
			for i := range book.Products {
				question := pricing.Question{Viewpoint: vp, SKU: book.Products[i].SKU}
				for _, k := range append(r.judge(question), r.inverted(question)...) {
					want[k] = true
				}
			}
		}
		for code := range r.fits {
			if !r.applies[code] && !r.unsure[code] {
				want[key(flags.NeverWins, code, "")] = true
			}
		}
		found, err := flags.Find(r.engine, q)
		require.NoError(t, err)
		have := map[string]bool{}
		for i := range found {
			f := &found[i]
			k := subjectKey(f)
			if !r.reads(f) {
				continue
			}
			raised[string(f.Kind)]++
			have[k] = true
			if !want[k] && r.joined(f.Witness) {
				continue
			}
			require.True(t, want[k], "seed %d: %s is no trouble of this book", seed, k)
			if f.Kind != flags.NeverWins && f.Kind != flags.MatchesNothing && f.Kind != flags.NeverOpen {
				shown := append(r.judge(f.Witness), r.inverted(f.Witness)...)
				if !r.joined(f.Witness) {
					require.Contains(t, shown, k, "seed %d: the witness shows the flag", seed)
				}
			}
		}
		for k := range want {
			if strings.HasPrefix(k, string(flags.Tie)+" ") && slices.ContainsFunc(slices.Collect(maps.Keys(r.unsure)), func(code string) bool {
				return r.unsure[code] && strings.Contains(k, code)
			}) {
				continue
			}
			require.True(t, have[k], "seed %d: %s is missed", seed, k)
		}
	}
	t.Log(raised)
	if books > 8 {
		require.Greater(t, len(raised), 20, "%v", raised)
	}
}

// joined reports whether units of a line, between which a graduated break begins, came out alike at a question: of those
// the answer has one trail, that of the first.
func (r *reading) joined(q pricing.Question) bool {
	a := r.price(r.engine, q)
	return slices.ContainsFunc(a.Portions, func(p pricing.Portion) bool {
		return p.Quantity > 1 && slices.ContainsFunc(a.Rules, func(code string) bool {
			_, counting := r.breaksOf(r.rules[code])
			return counting.Method == pricing.Graduated
		})
	})
}

// reads reports whether the reference reads flags of this kind.
func (r *reading) reads(f *flags.Flag) bool {
	switch f.Kind {
	case flags.DeriveCycle, flags.LimitWords:
		return false
	case flags.NeverWins:
		return !r.unsure[f.Rule]
	case flags.Tie:
		return !r.unsure[f.Rules[0]] && !r.unsure[f.Rules[1]]
	case flags.BreakInverted:
		breaks, counting := r.breaksOf(r.rules[f.Rule])
		return counting.Measure == "quantity" && counting.Method == pricing.Whole && counting.Count != "where" &&
			!derives(breaks)
	}
	return true
}

func subjectKey(f *flags.Flag) string {
	subject := f.SKU + f.Rule
	if subject == "" {
		subject = strings.Join(f.Rules, "+")
	}
	return key(f.Kind, subject, f.Channel)
}

// everyViewpoint are all viewpoints of a question: the windows of random books open and close at full hours.
func everyViewpoint(b *pricing.Book, q flags.Question) func(yield func(pricing.Viewpoint) bool) {
	channels := []string{""}
	for i := range b.Channels {
		channels = append(channels, b.Channels[i].Code)
	}
	who := []pricing.Viewpoint{{}}
	for i := range b.Groups {
		who = append(who, pricing.Viewpoint{Groups: []string{b.Groups[i].Code}})
	}
	for i := range b.Customers {
		who = append(who, pricing.Viewpoint{Customer: b.Customers[i].Code})
	}
	return func(yield func(pricing.Viewpoint) bool) {
		for at := q.From; at < q.To; at += pricing.Hour {
			for _, channel := range channels {
				for _, vp := range who {
					for _, n := range q.Quantities {
						vp.At, vp.Channel, vp.Quantity = at, channel, n
						if !yield(vp) {
							return
						}
					}
				}
			}
		}
	}
}
