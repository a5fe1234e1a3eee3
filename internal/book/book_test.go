package book_test

import (
	"context"
	"encoding/json"
	"errors"
	"math/rand/v2"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/book/booktest"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
)

func text(b *pricing.Book) string { return string(bookfile.Encode(b)) }

// sorted is a book's text with the items of each list in the order of their codes: in which order they stand moves no
// price, and no change says it.
func sorted(b *pricing.Book) string {
	s := *b
	s.Products, s.Rules, s.Ranges, s.Groups = slices.Clone(b.Products), slices.Clone(b.Rules), slices.Clone(b.Ranges),
		slices.Clone(b.Groups)
	s.Customers, s.Ladders, s.Campaigns, s.Channels = slices.Clone(b.Customers), slices.Clone(b.Ladders),
		slices.Clone(b.Campaigns), slices.Clone(b.Channels)
	slices.SortFunc(s.Products, func(a, b *pricing.Product) int { return compare(a.SKU, b.SKU) })
	slices.SortFunc(s.Rules, func(a, b pricing.Rule) int { return compare(a.Code, b.Code) })
	slices.SortFunc(s.Ranges, func(a, b pricing.Range) int { return compare(a.Code, b.Code) })
	slices.SortFunc(s.Groups, func(a, b pricing.Group) int { return compare(a.Code, b.Code) })
	slices.SortFunc(s.Customers, func(a, b pricing.Customer) int { return compare(a.Code, b.Code) })
	slices.SortFunc(s.Ladders, func(a, b pricing.Ladder) int { return compare(a.Code, b.Code) })
	slices.SortFunc(s.Campaigns, func(a, b pricing.Campaign) int { return compare(a.Code, b.Code) })
	slices.SortFunc(s.Channels, func(a, b pricing.Channel) int { return compare(a.Code, b.Code) })
	return text(&s)
}

func compare(a, b string) int {
	if a < b {
		return -1
	} else if a > b {
		return 1
	}
	return 0
}

// The differences between two books lead from the one to the other, and backwards back; a book made of its pieces is
// the book. Over random books with hostile names.
func TestDifferencesLeadFromBookToBook(t *testing.T) {
	rounds := 60
	if testing.Short() {
		rounds = 15
	}
	for seed := range uint64(rounds) {
		rng := rand.New(rand.NewPCG(seed, 12))
		a, b := pricingtest.Book(rng), pricingtest.Book(rng)
		changes := book.Differences(a, b)
		next, err := book.Apply(a, changes)
		require.NoError(t, err, "seed %d", seed)
		require.Equal(t, sorted(b), sorted(next), "seed %d", seed)
		back, err := book.Apply(next, book.Reversed(changes))
		require.NoError(t, err)
		require.Equal(t, sorted(a), sorted(back), "seed %d", seed)
		require.Empty(t, book.Differences(a, a))

		byKind := map[string][]book.Stored{}
		for _, c := range book.Of(a) {
			byKind[c.Kind] = append(byKind[c.Kind], book.Stored{Code: c.Code, Doc: c.After})
		}
		whole, refused, err := book.Assemble(string(bookfile.EncodeSettings(&a.Settings)), byKind)
		require.NoError(t, err)
		require.Empty(t, refused)
		require.Equal(t, text(a), text(whole), "seed %d", seed)
		pieces := book.NewPieces(a)
		for _, c := range book.Of(a) {
			require.True(t, book.SameDoc(c.Kind, c.After, pieces.Doc(c.Kind, c.Code)), "%s %s", c.Kind, c.Code)
		}
	}
}

// Pieces that cannot be read are named and left out, with what refers to them; the rest is the book.
func TestPiecesThatCannotBeRead(t *testing.T) {
	b, refused, err := book.Assemble(`{"currency":"EUR","timeZone":"UTC"}`, map[string][]book.Stored{
		book.Products: {{Code: "A", Doc: []byte(`{"sku":"A","list":"1.00"}`)},
			{Code: "B", Doc: []byte(`{"sku":"B","list":"a lot"}`)}},
		book.Ladders: {{Code: "L", Doc: []byte(`{"code":"L","breaks":[]}`)}},
		book.Rules: {{Code: "R", Doc: []byte(`{"code":"R","layer":"sale","rank":1,"where":{"all":[]},"ladder":"L"}`)},
			{Code: "S", Doc: []byte(`{"code":"S","layer":"sale","rank":1,"where":{"sku":"A"},"effect":{"percentOff":"1"}}`)}},
	})
	require.NoError(t, err)
	require.Len(t, b.Products, 1)
	require.Equal(t, "S", b.Rules[0].Code)
	var gone []string
	for _, r := range refused {
		gone = append(gone, r.Kind+" "+r.Code)
		require.NotEmpty(t, r.Problem)
	}
	require.ElementsMatch(t, []string{"products B", "ladders L", "rules R"}, gone)
	_, _, err = book.Assemble(`{"currency":"none"}`, nil)
	require.Error(t, err, "without settings there is no book")
}

func renamed(p *pricing.Product, name string) book.Change {
	next := *p
	next.Name = name
	return book.OfProduct(p, &next)
}

// Of two who change one piece the second is told what it is by now; both see the same book afterwards.
func TestTwoWhoChangeOnePiece(t *testing.T) {
	live, _ := booktest.Live(t, booktest.Read(t, `{"products":[{"sku":"A","name":"first"}]}`))
	p := live.Current().Product("A")
	conflicts, saved := 0, 0
	var mu sync.Mutex
	var all sync.WaitGroup
	for _, name := range []string{"Cup & saucer", "<b>", "طين"} {
		all.Go(func() {
			_, err := live.Save(t.Context(), book.Edit{Who: name, Changes: []book.Change{renamed(p, name)}})
			mu.Lock()
			defer mu.Unlock()
			var conflict *book.Conflict
			if errors.As(err, &conflict) {
				conflicts++
			} else if err == nil {
				saved++
			}
		})
	}
	all.Wait()
	require.Equal(t, []int{1, 2}, []int{saved, conflicts})
	require.EqualValues(t, 2, live.Current().Version)
}

// slow is a keeper that another program writes to, too.
type slow struct{ *booktest.Memory }

// What another program saved is loaded; an edit that is not the next version loads what came in between; every edit
// saved here is told to whoever asked for that.
func TestTwoPrograms(t *testing.T) {
	b := booktest.Read(t, `{"products":[{"sku":"A"},{"sku":"B"}]}`)
	one, memory := booktest.Live(t, b)
	two, err := book.OpenLive(t.Context(), &slow{memory}, nil)
	require.NoError(t, err)
	told := 0
	two.OnSave(func() { told++ })
	booktest.Save(t, one, renamed(one.Current().Product("A"), "from the first"))
	require.Empty(t, two.Current().Product("A").Name)
	booktest.Save(t, two, renamed(two.Current().Product("B"), "from the second"))
	require.Equal(t, "from the first", two.Current().Product("A").Name)
	require.EqualValues(t, 3, two.Current().Version)
	require.Equal(t, 1, told)
	require.NoError(t, one.Refresh(t.Context()))
	require.Equal(t, text(two.Current().Book), text(one.Current().Book))

	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() { defer close(ended); one.Follow(ctx, time.Millisecond) }()
	booktest.Save(t, two, renamed(two.Current().Product("B"), "again"))
	require.Eventually(t, func() bool { return one.Current().Product("B").Name == "again" }, 10*time.Second,
		time.Millisecond)
	stop()
	<-ended
}

// An edit that would leave no valid book is refused with its place, and the book stays.
func TestEditsLeaveAValidBook(t *testing.T) {
	live, _ := booktest.Live(t, booktest.Read(t,
		`{"settings":{"currency":"EUR","timeZone":"UTC","taxRates":{"standard":"21"}},
		"groups":[{"code":"g"}],"products":[{"sku":"A","taxClass":"standard"}],
		"rules":[{"code":"R","layer":"group","rank":1,"where":{"all":[]},"audience":{"groups":["g"]},"effect":{"percentOff":"1"}}]}`))
	before := text(live.Current().Book)
	for what, c := range map[string]book.Change{
		"a group that a rule names": {Kind: book.Groups, Code: "g", Before: json.RawMessage(`{"code":"g"}`)},
		"a tax class that goods have": {Kind: book.Settings, Before: bookfile.EncodeSettings(&live.Current().Book.Settings),
			After: json.RawMessage(`{"currency":"EUR","timeZone":"UTC"}`)},
		"a time zone of nowhere": {Kind: book.Settings, Before: bookfile.EncodeSettings(&live.Current().Book.Settings),
			After: json.RawMessage(`{"currency":"EUR","timeZone":"Mars/Base","taxRates":{"standard":"21"}}`)},
		"no amount": {Kind: book.Products, Code: "A",
			Before: json.RawMessage(`{"sku":"A","taxClass":"standard"}`), After: json.RawMessage(`{"sku":"A","list":"much"}`)},
	} {
		_, err := live.Save(t.Context(), book.Edit{Changes: []book.Change{c}})
		require.Error(t, err, what)
		require.Equal(t, before, text(live.Current().Book), what)
		require.EqualValues(t, 1, live.Current().Version)
	}
}

// What a customer bought counts as far back as a rule of the book looks, and no purchase that lies ahead; a first order
// is one before which there was none, where sales are known at all.
func TestBuyers(t *testing.T) {
	b := booktest.Read(t, `{"customers":[{"code":"C1"},{"code":"C2"}],"products":[{"sku":"A","list":"1.00"}],
		"rules":[{"code":"H","layer":"sale","rank":1,"where":{"all":[]},"historyDays":30,"breaks":[{"from":5,"percentOff":"10"}]}]}`)
	snap := booktest.Snapshot(t, b)
	day := func(n int) pricing.Moment { return pricing.Moment(20_000+n) * pricing.Day }
	known := map[string]book.Bought{"C1": {Count: 3, Newest: 3, Any: true, List: []pricing.Purchase{
		{SKU: "A", Quantity: 1, At: day(-60)}, {SKU: "A", Quantity: 2, At: day(-20)}, {SKU: "A", Quantity: 4, At: day(2)}}},
		"C2": {Any: true}}
	var away error
	var last book.Bought
	buyers := book.NewBuyers(func(_ context.Context, customer string, was book.Bought) (book.Bought, error) {
		last = was
		return known[customer], away
	})
	know := func(who string, at pricing.Moment) pricing.Viewpoint {
		vp := pricing.Viewpoint{At: at}
		require.NoError(t, book.SetWho(&vp, who))
		require.NoError(t, buyers.Know(t.Context(), snap, &vp))
		return vp
	}
	require.Equal(t, known["C1"].List[1:2], know("customer:C1", day(0)).History)
	require.False(t, know("customer:C1", day(0)).FirstOrder)
	require.True(t, know("customer:C1", day(-60)).FirstOrder, "at the moment of the first purchase there was none before")
	require.True(t, know("customer:C2", day(0)).FirstOrder)
	require.Empty(t, know("group:trade", day(0)).History)
	know("customer:C1", day(0))
	require.Equal(t, known["C1"], last, "whoever reads is told what is known")
	away, known["C1"] = errors.New("away"), book.Bought{}
	require.Equal(t, []pricing.Purchase{{SKU: "A", Quantity: 2, At: day(-20)}}, know("customer:C1", day(0)).History,
		"while it is away, what was last known")
	away, known = nil, nil
	require.False(t, know("customer:C2", day(0)).FirstOrder, "where no sales are known nothing is a first order")
	for _, who := range []string{"C1", "customer:", "robot:R2"} {
		var q *pricing.QuestionError
		require.ErrorAs(t, book.SetWho(&pricing.Viewpoint{}, who), &q, who)
	}
}

// Amounts of forms are read with their place.
func TestReadAmount(t *testing.T) {
	for text, says := range map[string]string{"5": "", "0.95": "", "-1": "negative", "1e3": "point", "": "point",
		"1,5": "point", "1000000000000000": "15 digits"} {
		a, err := book.ReadAmount("field", text, false)
		if says == "" {
			require.NoError(t, err)
			require.Equal(t, text, a.String())
			continue
		}
		var invalid *book.InvalidError
		require.ErrorAs(t, err, &invalid, text)
		require.Equal(t, "field", invalid.Path)
		require.Contains(t, invalid.Problem, says)
	}
	a, err := book.ReadAmount("field", "-0.05", true)
	require.NoError(t, err)
	require.Equal(t, money.MustParse("-0.05"), a)
}

// What changed of a document is told key by key, texts without their quotes.
func TestFieldChanges(t *testing.T) {
	require.Equal(t, []book.FieldChange{{Field: "cost", Was: "1.00", Is: ""},
		{Field: "name", Was: "Cup & <saucer>", Is: "Cup"}, {Field: "tags", Was: "", Is: `["a"]`}},
		book.FieldChanges([]byte(`{"sku":"A","name":"Cup & <saucer>","cost":"1.00"}`),
			[]byte(`{"sku":"A","name":"Cup","tags":["a"]}`)))
}
