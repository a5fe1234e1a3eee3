package publish_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
	"dogbane/internal/publish"
	"dogbane/internal/publish/pieces"
	"dogbane/internal/publish/publishtest"
	"dogbane/internal/publish/telling"
)

// mirror is what a channel runs on and shows, kept beside the program by the protocol's text alone: documents of
// pieces by their names, and the price that was taken of each product. It prices by the slow reading.
type mirror struct {
	pub     map[string]string // the published book; nil: nothing is published
	told    map[string]string // by SKU
	held    map[string]string // pieces that were taken back, as the saved book had them
	brought []broughtBy       // what entered, by number
	before  map[int64]map[string]string

	text   string
	priced *pricing.Book
}

// broughtBy is what one publication brought: each piece as it was and as it became; "": there was none.
type broughtBy struct {
	id       int64
	was, now map[string]string
}

const walked = 9 // products

// composed is the book that some documents make, read anew.
func (m *mirror) composed(t testing.TB, docs map[string]string) *pricing.Book {
	t.Helper()
	of := map[string][]string{}
	for _, name := range slices.Sorted(maps.Keys(docs)) {
		kind, _, _ := strings.Cut(name, " ")
		of[kind] = append(of[kind], docs[name])
	}
	text := fmt.Sprintf(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},"channels":[{"code":"web"}],
		"campaigns":[%s],"rules":[%s],"products":[%s]}`, strings.Join(of["campaign"], ","), strings.Join(of["rule"], ","),
		strings.Join(of["product"], ","))
	if text == m.text {
		return m.priced
	}
	b, err := bookfile.Decode([]byte(text))
	require.NoError(t, err, text)
	m.text, m.priced = text, b
	return b
}

// price is a guest's for one piece by the slow reading, "" where there is none.
func (m *mirror) price(t testing.TB, docs map[string]string, sku string, at pricing.Moment) string {
	t.Helper()
	if docs["product "+sku] == "" {
		return ""
	}
	r := pricingtest.LastUnit(m.composed(t, docs), pricing.Question{SKU: sku, Viewpoint: pricing.Viewpoint{Channel: "web",
		At: at, Quantity: 1}})
	if r.Unit == nil {
		return ""
	}
	return r.Unit.FloatString(2)
}

// saved are the saved book's pieces by name.
func (o *office) saved() map[string]string {
	docs := map[string]string{}
	b := o.live.Current().Book
	for i := range b.Rules {
		docs["rule "+b.Rules[i].Code] = string(bookfile.EncodeRule(&b.Rules[i]))
	}
	for i := range b.Campaigns {
		docs["campaign "+b.Campaigns[i].Code] = string(bookfile.EncodeCampaign(&b.Campaigns[i]))
	}
	for i := range b.Products {
		docs["product "+b.Products[i].SKU] = string(bookfile.EncodeProduct(b.Products[i]))
	}
	return docs
}

// differ are the names of pieces in which two books differ.
func differ(a, b map[string]string) (names []string) {
	all := map[string]string{}
	maps.Copy(all, a)
	maps.Copy(all, b)
	for name := range all {
		if a[name] != b[name] {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// chooses is what comes of choosing pieces of a saved book: with the campaign that a chosen rule needs and the
// published book lacks.
func (m *mirror) chooses(saved map[string]string, names []string) []string {
	with := slices.Clone(names)
	for _, name := range names {
		if _, campaign, is := strings.Cut(saved[name], `"campaign":"`); is {
			code, _, _ := strings.Cut(campaign, `"`)
			if need := "campaign " + code; m.pub[need] == "" && !slices.Contains(with, need) {
				with = append(with, need)
			}
		}
	}
	slices.Sort(with)
	return with
}

// after is the published book with some pieces as saved.
func (m *mirror) after(saved map[string]string, names []string) (docs map[string]string, by broughtBy) {
	docs, by = map[string]string{}, broughtBy{was: map[string]string{}, now: map[string]string{}}
	maps.Copy(docs, m.pub)
	for _, name := range names {
		by.was[name], by.now[name] = docs[name], saved[name]
		if docs[name] = saved[name]; saved[name] == "" {
			delete(docs, name)
		}
	}
	return docs, by
}

// isHeld reports whether a piece was taken back and stayed as it was saved then, or needs one of which that is so.
func (m *mirror) isHeld(saved map[string]string, name string) bool {
	if doc, is := m.held[name]; is && doc == saved[name] {
		return true
	}
	for _, need := range m.chooses(saved, []string{name}) {
		if doc, is := m.held[need]; need != name && is && doc == saved[need] {
			return true
		}
	}
	return false
}

func (m *mirror) enters(id int64, docs map[string]string, by broughtBy) {
	by.id = id
	if m.pub = docs; len(by.now) > 0 {
		m.brought = append(m.brought, by)
	}
	for name := range by.now {
		delete(m.held, name)
	}
}

// A walk of edits, choices of pieces and lines, refusals, cut connections, passing moments, take-backs and restarts. After
// each step the mirror says which pieces differ, what the published book's prices are, what the channel shows, what its
// customers are quoted and what it will be told at the next moment; and of each publication those lines reached the
// channel that were chosen, and no others.
func TestWhatWasChosenIsWhatReaches(t *testing.T) {
	walks, steps := 4, 70
	if testing.Short() { // with the race detector, of which every step takes many times as long
		walks, steps = 1, 40
	}
	if os.Getenv("DOGBANE_LONG") != "" {
		walks, steps = 12, 500
	}
	sent := map[string]int{}
	for seed := range uint64(walks) {
		rng := rand.New(rand.NewPCG(seed, 47))
		doc := `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"},"channels":[{"code":"web"}],
			"rules":[{"code":"S","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"5"}},
				{"code":"H","layer":"promotion","rank":1,"where":{"sku":["P0","P1","P2"]},"window":{"hours":["10:00","16:00"]},"effect":{"percentOff":"10"}},
				{"code":"W","layer":"promotion","rank":2,"where":{"sku":["P2","P3"]},"window":{"days":["sat","sun"]},"effect":{"amountOff":"1"}}],"products":[`
		for i := range walked {
			doc += fmt.Sprintf(`{"sku":"P%d","list":"%d.00"},`, i, 10+i)
		}
		o := opened(t, doc[:len(doc)-1]+"]}")
		o.onTheMinute()
		w := &walk{office: o, rng: rng, sent: sent, refuses: map[string]bool{}, mirror: mirror{told: map[string]string{},
			held: map[string]string{}, before: map[int64]map[string]string{}}}
		o.out.Refuse = func(l telling.Line) string {
			if w.refuses[l.SKU] {
				return "not <this>"
			}
			return ""
		}
		w.publishes() // the first one brings everything
		for range steps {
			w.step()
			w.agrees()
		}
		o.out.Check(t)
	}
	t.Log(sent)
	if testing.Short() {
		return
	}
	for _, way := range []string{"all", "pieces", "reached", "lines", "pieces and lines", "left out", "taken back", "due"} {
		require.Greater(t, sent[way], 2, way)
	}
}

// walk is an office with its mirror.
type walk struct {
	*office
	mirror
	rng     *rand.Rand
	refuses map[string]bool
	sent    map[string]int // publications by how they came about
	rules   int            // that were made on the way
}

func (w *walk) at() pricing.Moment { return w.live.Current().Moment(w.clock()) }

func (w *walk) sku() string { return fmt.Sprintf("P%d", w.rng.IntN(walked)) }

func (w *walk) step() {
	w.out.Manner(nil)
	snap := w.live.Current()
	switch w.rng.IntN(12) {
	case 0, 1:
		w.setList(w.sku(), fmt.Sprintf("%d.%02d", 14+w.rng.IntN(10), w.rng.IntN(100)))
	case 2:
		w.setOff([]string{"S", "H"}[w.rng.IntN(2)], fmt.Sprint(1+w.rng.IntN(12)))
	case 3: // a new rule, in a campaign of its own at times
		w.rules++
		code := fmt.Sprintf("N%d", w.rules)
		changes := []book.Change{}
		campaign := ""
		if w.rng.IntN(2) == 0 {
			campaign = fmt.Sprintf(`"campaign":"K%d",`, w.rules)
			changes = append(changes, book.Change{Kind: book.Campaigns, Code: fmt.Sprintf("K%d", w.rules),
				After: fmt.Appendf(nil, `{"code":"K%d","name":"Week <%d>"}`, w.rules, w.rules)})
		}
		r, err := bookfile.ReadRule(fmt.Appendf(nil,
			`{"code":%q,"layer":"promotion","rank":%d,%s"where":{"sku":[%q,%q]},"window":{"from":%q},"effect":{"percentOff":"%d"}}`,
			code, 2+w.rules, campaign, w.sku(), w.sku(),
			(w.at() - w.at()%pricing.Hour + pricing.Moment(w.rng.IntN(40)-10)*pricing.Hour).String(), 3+w.rng.IntN(20)))
		require.NoError(w.t, err)
		booktest.Save(w.t, w.live, append(changes, book.OfRule(nil, &r))...)
	case 4:
		if r := snap.Rule(fmt.Sprintf("N%d", 1+w.rng.IntN(max(w.rules, 1)))); r != nil {
			booktest.Save(w.t, w.live, book.OfRule(r, nil))
		}
	case 5, 6:
		known := w.newest()
		w.passes(time.Duration(1+w.rng.IntN(30))*time.Hour, w.scheduled())
		for _, p := range slices.Backward(w.publications()) {
			if p.ID > known {
				w.follows(p, w.pub, broughtBy{}, nil, "due")
			}
		}
	case 7:
		w.takesBack()
	case 8:
		w.another()
		w.out.Do(func() { w.refuses[w.sku()] = w.rng.IntN(2) == 0 })
	case 9:
		keys := []pieces.Key{}
		for name := range w.held {
			k, err := pieces.Parse(name)
			require.NoError(w.t, err)
			keys = append(keys, k)
		}
		know, err := w.store.Know(w.t.Context(), "web", w.clock())
		require.NoError(w.t, err)
		var skus []string
		for sku, open := range know.Open {
			if open.Held {
				skus = append(skus, sku)
			}
		}
		require.NoError(w.t, w.desk.Release(w.t.Context(), snap, "web", skus, keys))
		clear(w.held)
	default:
		w.out.Manner(publishtest.BySeed(w.rng.Uint64(), publishtest.Well, publishtest.Well, publishtest.Well, publishtest.Cut,
			publishtest.Never, publishtest.Half, publishtest.Wrong, publishtest.Reviewed))
		w.publishes()
	}
}

func (w *walk) newest() int64 {
	if list := w.publications(); len(list) > 0 {
		return list[0].ID
	}
	return 0
}

// publishes sends a choice, and holds what became of it against the mirror.
func (w *walk) publishes() {
	w.t.Helper()
	saved := w.saved()
	open := differ(w.pub, saved)
	isHeld := func(name string) bool { return w.isHeld(saved, name) }
	wish := publish.Wish{Who: "me", Version: w.live.Current().Version}
	names := slices.DeleteFunc(slices.Clone(open), isHeld)
	way := "all"
	choice := w.rng.IntN(6)
	if w.pub == nil {
		choice = 0
	}
	if (choice == 1 || choice == 2 || choice == 4) && len(open) > 0 {
		names = nil
		for _, name := range open {
			if len(names) == 0 || w.rng.IntN(2) == 0 {
				names = append(names, name)
			}
		}
		for _, name := range names {
			k, err := pieces.Parse(name)
			require.NoError(w.t, err)
			wish.Pieces = append(wish.Pieces, k)
		}
		names = w.chooses(saved, names)
		way = "pieces"
		if choice == 2 {
			wish.Reached, way = true, "reached"
		}
	}
	if choice >= 3 && choice <= 4 {
		for range 1 + w.rng.IntN(5) {
			wish.SKUs = append(wish.SKUs, w.sku())
		}
		if way = "lines"; wish.Pieces != nil {
			way = "pieces and lines"
		}
	}
	if choice == 5 {
		wish.LeaveOut, way = []string{w.sku()}, "left out"
	}
	docs, by := w.after(saved, names)
	if w.pub == nil {
		docs, by = saved, broughtBy{}
	}
	chosen := func(sku string) bool {
		return (wish.SKUs == nil || slices.Contains(wish.SKUs, sku)) && !slices.Contains(wish.LeaveOut, sku) &&
			(!wish.Reached || w.reaches(names, saved, sku))
	}
	p, err := w.desk.Prepare(w.t.Context(), w.live.Current(), "web", wish)
	if err != nil {
		return // there is nothing to send, or what is chosen cannot stand alone: nothing happened
	}
	var told []string
	for _, n := range p.Named.Pieces {
		told = append(told, n.Piece)
	}
	slices.Sort(told)
	if w.pub != nil {
		require.Equal(w.t, slices.Sorted(maps.Keys(by.now)), slices.Sorted(slices.Values(told)), "what goes is what was chosen")
	}
	if w.rng.IntN(3) == 0 { // a restart in between
		w.another()
	}
	w.follows(w.sends(p), docs, by, chosen, way)
}

// reaches reports whether one of some pieces reaches a product: itself, or a rule that names it or all, as published or
// as saved.
func (w *walk) reaches(names []string, saved map[string]string, sku string) bool {
	reach := func(name string) bool {
		for _, docs := range []map[string]string{w.pub, saved} {
			if d := docs[name]; strings.Contains(d, `"all":[]`) || strings.Contains(d, `"`+sku+`"`) {
				return true
			}
		}
		return false
	}
	return slices.ContainsFunc(names, func(name string) bool {
		kind, code, _ := strings.Cut(name, " ")
		if kind != "campaign" {
			return reach(name)
		}
		for _, docs := range []map[string]string{w.pub, saved} {
			for rule, d := range docs {
				if strings.Contains(d, `"campaign":"`+code+`"`) && reach(rule) {
					return true
				}
			}
		}
		return false
	})
}

// follows holds what became of a publication against a book that it was to make, and takes it over.
func (w *walk) follows(p publish.Publication, docs map[string]string, by broughtBy, chosen func(sku string) bool,
	way string) {
	w.t.Helper()
	w.sent[way]++
	rows, err := w.store.Rows(w.t.Context(), p.ID, "", 0)
	require.NoError(w.t, err)
	w.before[p.ID] = map[string]string{}
	goes, taken := map[string]bool{}, 0
	next := maps.Clone(w.told)
	for _, r := range rows {
		if !r.Goes() {
			continue
		}
		goes[r.SKU] = true
		require.True(w.t, chosen == nil || chosen(r.SKU), "%s: %s was not chosen", way, r.SKU)
		want := w.price(w.t, docs, r.SKU, p.At)
		if p.Kind == publish.TakeBack {
			want = w.before[p.Of][r.SKU]
		}
		if r.Answer == publish.Taken {
			taken++
			got := ""
			if r.Price != nil {
				got = r.Price.Fixed(2)
			}
			require.Equal(w.t, want, got, "%s of publication %d (%s)", r.SKU, p.ID, way)
			w.before[p.ID][r.SKU] = w.told[r.SKU]
			if next[r.SKU] = got; got == "" {
				delete(next, r.SKU)
			}
		} else if r.Answer == publish.Unanswered {
			w.before[p.ID][r.SKU] = w.told[r.SKU]
		}
	}
	if chosen != nil {
		know, err := w.store.Know(w.t.Context(), "web", w.clock())
		require.NoError(w.t, err)
		for i := range walked {
			sku := fmt.Sprintf("P%d", i)
			open := know.Open[sku]
			// What a chosen rule reaches that is not open now goes only where the choice makes it another.
			same := way == "reached" && w.price(w.t, w.pub, sku, p.At) == w.price(w.t, docs, sku, p.At)
			if chosen(sku) && !open.Held && !open.LeftOut && !same {
				require.True(w.t, goes[sku] || w.told[sku] == w.price(w.t, docs, sku, p.At), "%s: %s was chosen, and did not go",
					way, sku)
			}
		}
	}
	w.told = next
	if p.Kind != publish.Due && (taken > 0 || len(goes) == 0) {
		w.enters(p.ID, docs, by)
	}
}

// takesBack takes one of the last publications back.
func (w *walk) takesBack() {
	w.t.Helper()
	list := w.publications()
	of := list[w.rng.IntN(min(len(list), 4))]
	if of.Brings == publish.BringsBook {
		return
	}
	saved := w.saved()
	docs, by := maps.Clone(w.pub), broughtBy{was: map[string]string{}, now: map[string]string{}}
	if at := slices.IndexFunc(w.brought, func(b broughtBy) bool { return b.id == of.ID }); at >= 0 {
		for name, was := range w.brought[at].was {
			if slices.ContainsFunc(w.brought[at+1:], func(b broughtBy) bool { _, since := b.now[name]; return since }) {
				continue
			}
			by.was[name], by.now[name] = docs[name], was
			if docs[name] = was; was == "" {
				delete(docs, name)
			}
		}
	}
	p, err := w.desk.TakeBack(w.t.Context(), w.live.Current(), of.ID, "me")
	if err != nil {
		return // nothing stems from it any more, or what came since needs what would go
	}
	entered := len(w.brought)
	w.follows(w.sends(p), docs, by, nil, "taken back")
	if len(w.brought) > entered {
		for name := range by.now {
			w.held[name] = saved[name]
		}
	}
}

// agrees holds the program against the mirror.
func (w *walk) agrees() {
	w.t.Helper()
	ctx, snap, at := w.t.Context(), w.live.Current(), w.at()
	if w.pub == nil {
		return
	}
	saved := w.saved()
	found, err := w.desk.Pending(ctx, snap, "web", publish.Choice{All: true})
	require.NoError(w.t, err)
	var names, held []string
	for _, p := range found.All {
		names = append(names, p.String())
		if p.Held {
			held = append(held, p.String())
		}
	}
	slices.Sort(names)
	require.Equal(w.t, differ(w.pub, saved), names, "which pieces differ")
	for _, name := range names {
		require.Equal(w.t, w.isHeld(saved, name), slices.Contains(held, name), "whether %s is held", name)
	}
	e, err := w.desk.Published(ctx, snap, "web")
	require.NoError(w.t, err)
	know, err := w.store.Know(ctx, "web", w.clock())
	require.NoError(w.t, err)
	shows := w.out.Prices()
	for i := range walked {
		sku := fmt.Sprintf("P%d", i)
		a, err := e.Engine.Price(pricing.Question{SKU: sku, Viewpoint: pricing.Viewpoint{Channel: "web", At: at}})
		require.NoError(w.t, err)
		require.Equal(w.t, w.price(w.t, w.pub, sku, at), a.Unit.Fixed(2), "the published price of %s", sku)
		if know.Open[sku].Unanswered {
			continue
		}
		require.Equal(w.t, w.told[sku], shows[sku], "%s is shown", sku)
		if w.told[sku] != "" {
			require.Equal(w.t, w.told[sku], w.quoted(sku, ""), "%s is quoted", sku)
		}
	}
	// The first hour at which the published book has other prices than a moment before.
	var next pricing.Moment
	var turns []string
	for h := at - at%pricing.Hour + pricing.Hour; h < at+3*pricing.Day && turns == nil; h += pricing.Hour {
		next = h
		for i := range walked {
			sku := fmt.Sprintf("P%d", i)
			if w.price(w.t, w.pub, sku, h) != w.price(w.t, w.pub, sku, h-1) {
				turns = append(turns, sku)
			}
		}
	}
	if dues := w.dues(); turns != nil {
		require.NotEmpty(w.t, dues)
		require.Equal(w.t, next.String(), dues[0].At.String())
		require.Equal(w.t, turns, slices.Sorted(slices.Values(dues[0].SKUs)), "what changes at %s", next)
	}
}
