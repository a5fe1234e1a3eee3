package bookfile

import (
	"encoding/json"
	"math/big"
	"math/rand/v2"
	"os"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
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
