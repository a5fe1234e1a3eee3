package bookfile

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/require"

	"dogbane/internal/demo"
	"dogbane/internal/pricing/pricingtest"
)

func schema(t *testing.T) *jsonschema.Schema {
	t.Helper()
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(Schema))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	c.AssertFormat()
	require.NoError(t, c.AddResource("book.json", doc))
	s, err := c.Compile("book.json")
	require.NoError(t, err)
	return s
}

// beyondSchema are the problems that a schema cannot see: they need two places of the document, or a calendar, or a
// list that lives elsewhere.
var beyondSchema = []string{"is defined twice", "there is no ", "ends where", "must be above the from",
	"does not exist", "has no rate", "is below the min", "time zone of the IANA",
	"ISO 4217", "whose count is \"selection\"", "this ladder measures spend", "mode is \"add\"",
	"takes percent and amount effects only", "must be the id of a need", "begin and end must differ", "a plain number",
	"must be a whole number",
	"stands in the list twice", "without units all of a need", "above the need's quantity", "whose units are the same"}

func onlyBeyondSchema(err error) bool {
	var errs Errors
	if !errors.As(err, &errs) {
		return false
	}
	for _, e := range errs {
		known := false
		for _, text := range beyondSchema {
			known = known || strings.Contains(e.Problem, text)
		}
		if !known {
			return false
		}
	}
	return true
}

func verdicts(t *testing.T, s *jsonschema.Schema, doc []byte) {
	t.Helper()
	value, err := jsonschema.UnmarshalJSON(bytes.NewReader(doc))
	require.NoError(t, err)
	bySchema := s.Validate(value)
	_, byReader := Decode(doc)
	switch {
	case bySchema != nil && byReader == nil:
		t.Fatalf("the schema refuses what the reader takes: %v\n%s", bySchema, doc)
	case bySchema == nil && byReader != nil && !onlyBeyondSchema(byReader):
		t.Fatalf("the reader refuses what the schema takes: %v\n%s", byReader, doc)
	}
}

// Every key that the schema knows stands in the document that holds everything, so that one which the reader or the
// writer forgets is noticed.
func TestEverythingHoldsEveryKeyOfTheSchema(t *testing.T) {
	var keysOf func(value any, found map[string]bool)
	keysOf = func(value any, found map[string]bool) {
		switch v := value.(type) {
		case map[string]any:
			if properties, ok := v["properties"].(map[string]any); ok {
				for key := range properties {
					found[key] = true
				}
			}
			for _, inner := range v {
				keysOf(inner, found)
			}
		case []any:
			for _, inner := range v {
				keysOf(inner, found)
			}
		}
	}
	var schema any
	require.NoError(t, json.Unmarshal(Schema, &schema))
	known := map[string]bool{}
	keysOf(schema, known)
	require.Greater(t, len(known), 100)
	for key := range known {
		require.Contains(t, everything, `"`+key+`":`)
	}
}

// Schema and reader agree on good books.
func TestSchemaTakesGoodBooks(t *testing.T) {
	s := schema(t)
	docs := [][]byte{[]byte(everything), Encode(demo.Book(0))}
	for seed := range uint64(100) {
		docs = append(docs, Encode(pricingtest.Book(rand.New(rand.NewPCG(seed, 9)))))
	}
	for i, doc := range docs {
		_, err := Decode(doc)
		require.NoError(t, err, "document %d", i)
		value, err := jsonschema.UnmarshalJSON(bytes.NewReader(doc))
		require.NoError(t, err)
		require.NoError(t, s.Validate(value), "document %d", i)
	}
}

// Neither takes what the other refuses, for every single change of a document that uses everything: a key taken out, a
// key put in, a value of another type or out of its bounds.
func TestSchemaAndReaderAgree(t *testing.T) {
	if testing.Short() {
		t.Skip("tries thousands of documents")
	}
	t.Parallel()
	s := schema(t)
	var doc any
	require.NoError(t, json.Unmarshal([]byte(everything), &doc))
	others := []any{nil, true, false, 0, 1, 2.5, -1, "", "x", "0", "1", "100", "100.01", "-1", "1.5", "1,5", "1e3", "all",
		"line", "list", "cost:", "attr:", "2026-04-31T00:00", "25:00", "02-30",
		[]any{}, []any{"x"}, []any{1}, map[string]any{}, map[string]any{"x": "y"},
		map[string]any{"where": map[string]any{"all": []any{}}}, map[string]any{"percentOff": "5"},
		map[string]any{"reduced": true},
		strings.Repeat("9", 41), strings.Repeat("9", 16), "000" + strings.Repeat("9", 15), strings.Repeat("x", 101),
		strings.Repeat("x", 201), strings.Repeat("é", 2001), "a/b", "..", " x", "x\n", "fri 18:00:30", "18:00:30", "basket"}
	tried, every := 0, 4 // one in four, each under ./test long
	if os.Getenv("DOGBANE_LONG") != "" {
		every = 1
	}
	check := func() {
		if tried++; tried%every != 0 {
			return
		}
		out, err := json.Marshal(doc)
		require.NoError(t, err)
		verdicts(t, s, out)
	}
	var walk func(value any, set func(any))
	walk = func(value any, set func(any)) {
		for _, other := range others {
			set(other)
			check()
		}
		set(value)
		switch v := value.(type) {
		case map[string]any:
			for key, child := range v {
				delete(v, key)
				check()
				v[key] = child
			}
			for _, extra := range []string{"strange", "name", "where", "effect", "order", "ladder", "count", "method", "measure",
				"of", "percent", "amount", "all", "forTotal", "until"} {
				if _, there := v[extra]; !there {
					v[extra] = map[string]any{"all": []any{}}
					check()
					v[extra] = "1"
					check()
					delete(v, extra)
				}
			}
			for key, child := range v {
				walk(child, func(n any) { v[key] = n })
			}
		case []any:
			for i, child := range v {
				walk(child, func(n any) { v[i] = n })
			}
		}
	}
	walk(doc, func(n any) { doc = n })
	require.Greater(t, tried, 10_000)
	t.Log(fmt.Sprint(tried, " documents"))
}
