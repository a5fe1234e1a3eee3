package bookfile

import (
	"encoding/json"
	"math/big"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/pricingtest"
)

// questionDoc writes a question as a file would ask it.
func questionDoc(q pricing.Question) map[string]any {
	doc := map[string]any{"sku": q.SKU, "at": q.At.String(), "quantity": max(q.Quantity, 1), "firstOrder": q.FirstOrder}
	set := func(key string, value any, given bool) {
		if given {
			doc[key] = value
		}
	}
	set("channel", q.Channel, q.Channel != "")
	set("customer", q.Customer, q.Customer != "")
	set("country", q.Country, q.Country != "")
	set("groups", q.Groups, q.Groups != nil)
	set("options", q.Options, q.Options != nil)
	set("with", q.With, q.With != nil)
	set("term", q.Term, q.Term > 0)
	if q.SignedIn != nil {
		doc["signedIn"] = *q.SignedIn
	}
	var history []any
	for _, h := range q.History {
		history = append(history, map[string]any{"sku": h.SKU, "quantity": h.Quantity, "at": h.At.String()})
	}
	set("history", history, history != nil)
	return doc
}

// Files of random books, whose expectations are those of the slow second reading of the book, hold: what
// dogbane check does, from the text of the document to the answer.
func TestCheckAgreesWithTheReference(t *testing.T) {
	t.Parallel()
	files := 400
	switch {
	case testing.Short():
		files = 100
	case os.Getenv("DOGBANE_LONG") != "":
		files = 10_000
	}
	for seed := range uint64(files) {
		rng := rand.New(rand.NewPCG(seed, 5))
		book := pricingtest.Book(rng)
		var expect []any
		for range 6 {
			q := pricingtest.Question(rng, book)
			want := pricingtest.Price(book, q)
			is := map[string]any{"unit": nil, "total": nil}
			if want.Unit != nil {
				text := func(r *big.Rat) string { return r.FloatString(6) }
				is = map[string]any{"unit": text(want.Unit), "total": text(want.Total), "rules": append([]string{}, want.Rules...)}
			}
			expect = append(expect, map[string]any{"price": questionDoc(q), "is": is})
		}
		doc, err := json.Marshal(map[string]any{"name": "random", "book": json.RawMessage(Encode(book)), "expect": expect})
		require.NoError(t, err)
		check, err := ReadCheck(doc)
		require.NoError(t, err)
		diffs, err := check.Run()
		require.NoError(t, err, "seed %d", seed)
		require.Empty(t, diffs, "seed %d", seed)
	}
}

// Whatever is asked of baskets, it is answered or refused with the place of what is wrong, and what is read can be
// written and read again.
func FuzzBasketQuestions(f *testing.F) {
	f.Add([]byte(`{"at":"2026-11-27T10:00","lines":[{"sku":"A","quantity":2,"byHand":{"percentOff":"5"}}],"codes":["X-1"],"shipping":"6.95"}`))
	f.Add([]byte(`{"at":"2026-11-27T10:00","lines":[{"sku":"A","hire":{"from":"2026-11-27T10:00","to":"2026-11-20T10:00"}}],"used":{"R":{"total":-1}}}`))
	f.Add([]byte(`{"lines":[{"sku":"🎁","quantity":1000000000,"term":0}],"history":[{"sku":"A","at":"x"}]}`))
	book, err := Decode([]byte(`{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"products":[{"sku":"A","list":"9.99"}],
		"rules":[{"code":"R","layer":"promotion","rank":1,"where":{"all":[]},"offer":{"needs":[{"id":"a","where":{"all":[]},"quantity":2}],"gives":{"to":"a","units":1,"percentOff":"33.3"}}}]}`))
	if err != nil {
		f.Fatal(err)
	}
	e := basket.Compile(pricing.Compile(book))
	f.Fuzz(func(t *testing.T, doc []byte) {
		q, err := DecodeBasket(doc)
		if err != nil {
			var errs Errors
			require.ErrorAs(t, err, &errs)
			return
		}
		again, err := DecodeBasket(EncodeBasket(&q))
		if len(q.Lines) > 0 { // a basket without lines has no key for them
			require.NoError(t, err)
			require.JSONEq(t, string(EncodeBasket(&q)), string(EncodeBasket(&again)))
		}
		a, err := e.Price(q)
		if err == nil {
			require.False(t, a.Total.Sign() < 0)
		}
	})
}
