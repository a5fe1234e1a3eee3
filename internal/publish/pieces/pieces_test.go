package pieces_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
	"dogbane/internal/publish/pieces"
)

func decode(t *testing.T, doc string) *pricing.Book {
	t.Helper()
	b, err := bookfile.Decode([]byte(doc))
	require.NoError(t, err)
	return b
}

// shop is a book whose parts are put in.
func shop(settings, lists string) string {
	if lists != "" {
		lists = "," + lists
	}
	return `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"Europe/Amsterdam"` + settings + `}` + lists + `}`
}

const (
	web  = `"channels":[{"code":"web"},{"code":"till"}]`
	cup  = `{"sku":"Cup & <b>","list":"10.00","stock":"3"}`
	sale = `{"code":"SALE","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"10"}}`
)

func names(list []pieces.Piece) (out []string) {
	for _, p := range list {
		text := p.String() + " " + string(p.Change)
		for _, w := range p.With {
			text += " with " + w.String()
		}
		out = append(out, text)
	}
	return out
}

// Each kind of piece is found, and nothing that is in force once it is saved.
func TestWhatIsAPiece(t *testing.T) {
	before := decode(t, shop(`,"taxRates":{"standard":"21"}`, `"groups":[{"code":"g"}],"ranges":[{"code":"R","where":{"sku":"x"}}],
		"ladders":[{"code":"L","breaks":[{"from":2,"percentOff":"1"}]}],"campaigns":[{"code":"C"}],
		"channels":[{"code":"web"},{"code":"till"}],"products":[`+cup+`,{"sku":"OLD","list":"1.00"}],"rules":[`+sale+`]`))
	after := decode(t, shop(`,"taxRates":{"standard":"20"},"rates":{"GBP":"0.9"}`, `"groups":[{"code":"g","name":"G"},{"code":"h"}],
		"customers":[{"code":"me","groups":["h"]}],"ranges":[{"code":"R","where":{"sku":"y"}}],
		"ladders":[{"code":"L","breaks":[{"from":3,"percentOff":"1"}]}],"campaigns":[{"code":"C","status":"off"}],
		"channels":[{"code":"web","name":"Shop","limits":{"wholeUnits":true}},{"code":"till","name":"T"}],
		"products":[{"sku":"Cup & <b>","list":"11.00","stock":"2","sold":"1","rating":"4"},{"sku":"NEW","list":"2.00"}],
		"rules":[`+strings.Replace(sale, `"10"`, `"11"`, 1)+`,{"code":"DEAL","layer":"promotion","rank":1,"where":{"range":"R"},"campaign":"C",
			"audience":{"groups":["h"]},"effect":{"percentOff":"1"}}]`))
	require.Equal(t, []string{"rule SALE changed", "rule DEAL new", "campaign C changed", "ladder L changed", "range R changed",
		"channel web changed", "settings rates new", "settings taxRates changed", "product Cup & <b> changed", "product NEW new",
		"product OLD gone"}, names(pieces.Differences(before, after, "web")))

	live := decode(t, shop(`,"taxRates":{"standard":"21"}`, `"groups":[{"code":"g","name":"other"}],"customers":[{"code":"me"}],
		"ranges":[{"code":"R","where":{"sku":"x"}}],"ladders":[{"code":"L","breaks":[{"from":2,"percentOff":"1"}]}],"campaigns":[{"code":"C"}],
		"channels":[{"code":"web","limits":{"wholeUnits":true}},{"code":"till","name":"T"}],
		"products":[{"sku":"Cup & <b>","list":"10.00","stock":"9","sold":"8","rating":"1"},{"sku":"OLD","list":"1.00"}],"rules":[`+sale+`]`))
	require.Empty(t, pieces.Differences(before, live, "web"))
	composed := pieces.Compose(before, live, "web")
	require.Equal(t, bookfile.Encode(live), bookfile.Encode(composed), "all of that is in force at once")
}

// A piece that only changed its code is one, and is chosen by either.
func TestARenamedPieceIsOne(t *testing.T) {
	before := decode(t, shop("", web+`,"products":[`+cup+`],"rules":[`+sale+`]`))
	after := decode(t, shop("", web+`,"products":[`+strings.Replace(cup, "Cup", "Mug", 1)+`],"rules":[`+strings.Replace(sale, "SALE", "SUMMER", 1)+`]`))
	list := pieces.Differences(before, after, "web")
	require.Equal(t, []string{"rule SUMMER changed", "product Mug & <b> changed"}, names(list))
	for _, key := range []string{"rule SUMMER", "rule SALE"} {
		k, err := pieces.Parse(key)
		require.NoError(t, err)
		some, err := pieces.Choose(list, []pieces.Key{k})
		require.NoError(t, err)
		next, err := pieces.Apply(before, pieces.Bring(before, after, some))
		require.NoError(t, err)
		require.Len(t, next.Rules, 1, "it does not stand there twice")
		require.Equal(t, "SUMMER", next.Rules[0].Code)
		require.Equal(t, "Cup & <b>", next.Products[0].SKU)
	}
	_, err := pieces.Choose(list, []pieces.Key{{Kind: book.Rules, Code: "NONE"}})
	require.EqualError(t, err, `There is no unpublished change of "rule NONE" in this channel.`)
	_, err = pieces.Parse("SALE")
	require.ErrorContains(t, err, "names no piece")
}

// What a piece refers to and the published book lacks comes along; what is there stays as it was.
func TestWhatComesAlong(t *testing.T) {
	before := decode(t, shop("", web+`,"ranges":[{"code":"A","where":{"sku":"a"}}],"products":[`+cup+`]`))
	after := decode(t, shop(`,"taxRates":{"low":"9"}`, web+`,"ranges":[{"code":"A","where":{"sku":"b"}},{"code":"B","where":{"any":[{"range":"A"},{"range":"C"}]}},
		{"code":"C","where":{"sku":"c"}}],"campaigns":[{"code":"K"}],"products":[`+cup+`,{"sku":"T","taxClass":"low","list":"1"}],
		"rules":[{"code":"D","layer":"sale","rank":1,"where":{"range":["B"]},"campaign":"K","effect":{"percentOff":"1"}}]`))
	list := pieces.Differences(before, after, "web")
	require.Equal(t, []string{"rule D new with campaign K with range B with range C", "campaign K new", "range A changed",
		"range B new with range C", "range C new", "settings taxRates new", "product T new with settings taxRates"}, names(list))
	some, err := pieces.Choose(list, []pieces.Key{{Kind: book.Rules, Code: "D"}})
	require.NoError(t, err)
	next, err := pieces.Apply(before, pieces.Bring(before, after, some))
	require.NoError(t, err)
	require.Equal(t, []string{"a"}, next.Ranges[0].Where.Values, "the range that is there stays as it was")
	require.Len(t, next.Ranges, 3)
	require.Empty(t, next.Settings.TaxRates)
	some, err = pieces.Choose(list, []pieces.Key{{Kind: book.Products, Code: "T"}})
	require.NoError(t, err)
	next, err = pieces.Apply(before, pieces.Bring(before, after, some))
	require.NoError(t, err)
	require.Len(t, next.Settings.TaxRates, 1)
}

// What cannot stand is refused, and both are named.
func TestWhatCannotStand(t *testing.T) {
	before := decode(t, shop(`,"taxRates":{"low":"9"}`, web+`,"ranges":[{"code":"A","where":{"sku":"a"}}],
		"products":[{"sku":"T","taxClass":"low","list":"1"}],
		"rules":[{"code":"D","layer":"sale","rank":1,"where":{"not":{"range":"A"}},"effect":{"percentOff":"1"}}]`))
	after := decode(t, shop("", web+`,"products":[{"sku":"T","list":"1"}]`))
	list := pieces.Differences(before, after, "web")
	for chosen, problem := range map[string]string{
		"range A":           "The rule D stays and needs the range A. Send both, or neither.",
		"settings taxRates": "The product T stays and needs the settings taxRates. Send both, or neither.",
	} {
		k, err := pieces.Parse(chosen)
		require.NoError(t, err)
		some, err := pieces.Choose(list, []pieces.Key{k})
		require.NoError(t, err)
		_, err = pieces.Apply(before, pieces.Bring(before, after, some))
		var dangling *pieces.Dangling
		require.ErrorAs(t, err, &dangling)
		require.EqualError(t, err, problem)
	}
}

// The taxes of countries need the tax classes that they are of.
func TestTaxesOfCountriesNeedTheirClasses(t *testing.T) {
	before := decode(t, shop("", web))
	after := decode(t, shop(`,"taxRates":{"low & slow":"9"},"countries":{"DE":{"taxRates":{"low & slow":"7"}}}`, web))
	list := pieces.Differences(before, after, "web")
	require.ElementsMatch(t, []string{"settings taxRates new", "settings countries new with settings taxRates"}, names(list))
	some, err := pieces.Choose(list, []pieces.Key{{Kind: book.Settings, Code: "countries"}})
	require.NoError(t, err)
	next, err := pieces.Apply(before, pieces.Bring(before, after, some))
	require.NoError(t, err)
	require.Len(t, next.Settings.TaxRates, 1)
	list = pieces.Differences(after, before, "web")
	some, err = pieces.Choose(list, []pieces.Key{{Kind: book.Settings, Code: "taxRates"}})
	require.NoError(t, err)
	_, err = pieces.Apply(after, pieces.Bring(after, before, some))
	require.EqualError(t, err, "The settings countries stays and needs the settings taxRates. Send both, or neither.")
}

// Groups and customers that a published rule names stay for it when they go from the saved book, and no others do.
func TestWhatAPublishedBookNamesIsKept(t *testing.T) {
	before := decode(t, shop("", `"channels":[{"code":"web"},{"code":"old"},{"code":"older"}],"groups":[{"code":"g"},{"code":"gone"}],"customers":[{"code":"c","groups":["g"]},{"code":"d"}],
		"rules":[{"code":"D","layer":"sale","rank":1,"where":{"all":[]},"channels":["web","old"],"audience":{"customers":["c"]},"effect":{"percentOff":"1"}}]`))
	after := decode(t, shop("", `"channels":[{"code":"web"}],"groups":[{"code":"new"}]`))
	b := pieces.Compose(before, after, "web")
	require.Equal(t, []pricing.Group{{Code: "new"}, {Code: "g"}}, b.Groups)
	require.Equal(t, "c", b.Customers[0].Code)
	require.Len(t, b.Customers, 1)
	require.Len(t, b.Channels, 2)
	_, err := bookfile.Decode(bookfile.Encode(b))
	require.NoError(t, err, "it is a whole book")
	require.Len(t, before.Groups, 2, "nothing of the published book is written over")
}

// Two products are the same piece just where no field differs but those that are in force once saved. Each field that a
// product has is tried.
func TestSameProductLooksAtEveryField(t *testing.T) {
	one := money.Int(1)
	live := []string{"Stock", "Sold", "Rating"}
	kind := reflect.TypeFor[pricing.Product]()
	for i := range kind.NumField() {
		a, b := pricing.Product{}, pricing.Product{}
		f := reflect.ValueOf(&b).Elem().Field(i)
		switch v := f.Addr().Interface().(type) {
		case *string:
			*v = "x"
		case *int:
			*v = 2
		case **money.Rat:
			*v = &one
		case *map[string]money.Rat:
			*v = map[string]money.Rat{"a": one}
		case *[]string:
			*v = []string{"x"}
		case *map[string]pricing.Attr:
			*v = map[string]pricing.Attr{"a": {Text: "x"}}
		case **pricing.Content:
			*v = &pricing.Content{Of: "kg"}
		case **pricing.HireTimes:
			*v = &pricing.HireTimes{}
		case *[]pricing.Option:
			*v = []pricing.Option{{Code: "x"}}
		case *[]pricing.Figures:
			*v = []pricing.Figures{{From: 1, List: &one}}
		case *bool:
			*v = true
		default:
			t.Fatalf("nobody tries the field %s", kind.Field(i).Name)
		}
		name := kind.Field(i).Name
		require.Equal(t, slices.Contains(live, name), pieces.SameProduct(&a, &b), name)
		require.True(t, pieces.SameProduct(&b, &b), name)
	}
}

// So are later figures where no field of an entry differs.
func TestSameFiguresLookAtEveryField(t *testing.T) {
	one := money.Int(1)
	kind := reflect.TypeFor[pricing.Figures]()
	for i := range kind.NumField() {
		var f pricing.Figures
		switch v := reflect.ValueOf(&f).Elem().Field(i).Addr().Interface().(type) {
		case *pricing.Moment:
			*v = 7
		case **money.Rat:
			*v = &one
		case *map[string]money.Rat:
			*v = map[string]money.Rat{"a": one}
		default:
			t.Fatalf("nobody tries the field %s", kind.Field(i).Name)
		}
		a, b := pricing.Product{Later: []pricing.Figures{{}}}, pricing.Product{Later: []pricing.Figures{f}}
		require.False(t, pieces.SameProduct(&a, &b), kind.Field(i).Name)
		require.True(t, pieces.SameProduct(&b, &b), kind.Field(i).Name)
	}
}

// Whatever is chosen of the differences of two books, in whatever order: all of them together make the saved book, each
// alone leaves the others, and a choice that stands is a book that can be read.
func TestChoicesOfRandomBooks(t *testing.T) {
	stood, fell := 0, 0
	for seed := range uint64(150) {
		rng := rand.New(rand.NewPCG(seed, 7))
		a := pricingtest.Book(rng)
		b := pricingtest.Book(rng)
		if len(a.Channels) == 0 || len(b.Channels) == 0 {
			continue
		}
		channel := a.Channels[0].Code
		b.Settings.Currency, b.Settings.TimeZone = a.Settings.Currency, a.Settings.TimeZone
		published, err := bookfile.Decode(bookfile.Encode(a))
		require.NoError(t, err)
		saved, err := bookfile.Decode(bookfile.Encode(b))
		if err != nil || !slices.ContainsFunc(saved.Channels, func(c pricing.Channel) bool { return c.Code == channel }) {
			continue
		}
		published = pieces.Compose(published, saved, channel)
		all := pieces.Differences(published, saved, channel)
		whole, err := pieces.Apply(published, travelled(t, pieces.Bring(published, saved, all)))
		require.NoError(t, err)
		require.Empty(t, names(pieces.Differences(whole, saved, channel)), "seed %d", seed)

		var chosen []pieces.Key
		for _, p := range all {
			if rng.IntN(3) > 0 {
				chosen = append(chosen, p.Key)
			}
		}
		some, err := pieces.Choose(all, chosen)
		require.NoError(t, err)
		before := string(bookfile.Encode(published))
		next, err := pieces.Apply(published, travelled(t, pieces.Bring(published, saved, some)))
		require.Equal(t, before, string(bookfile.Encode(published)), "the published book itself never changes")
		if err != nil {
			fell++
			continue
		}
		stood++
		left := pieces.Differences(next, saved, channel)
		require.Len(t, left, len(all)-len(some), "seed %d: %s", seed, names(left))
		for _, p := range left {
			require.False(t, slices.ContainsFunc(some, func(s pieces.Piece) bool { return s.Key == p.Key }), "seed %d: %s", seed, p)
		}
	}
	t.Logf("%d choices stood, %d did not", stood, fell)
	require.Greater(t, stood, 20)
}

// travelled is what is brought after it was written and read.
func travelled(t *testing.T, b pieces.Brought) (back pieces.Brought) {
	t.Helper()
	doc, err := json.Marshal(b)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(doc, &back))
	for i := range back.Changes {
		if string(back.Changes[i].After) == "null" {
			back.Changes[i].After = nil
		}
	}
	return back
}

func ExampleKey_String() {
	fmt.Println(pieces.Key{Kind: book.Settings, Code: "rates"}, "·", pieces.Key{Kind: book.Products, Code: "GB-01"})
	// Output: settings rates · product GB-01
}
