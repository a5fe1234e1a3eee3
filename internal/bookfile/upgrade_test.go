package bookfile

import (
	"encoding/json"
	"errors"
	"testing"

	"github.com/stretchr/testify/require"
)

// Pieces pass through every step from their format on, in order; what stands in a newer format is refused with its
// reason.
func TestTheChainOfUpgrades(t *testing.T) {
	defer func(kept []step) { steps = kept }(steps)
	steps = []step{
		func(list string, piece map[string]json.RawMessage) error { // 1 → 2: "label" was called "title"
			if old, has := piece["title"]; has && list == "products" {
				piece["label"] = old
				delete(piece, "title")
			}
			return nil
		},
		func(list string, piece map[string]json.RawMessage) error { // 2 → 3: and then "name"
			if string(piece["label"]) == `"broken"` {
				return errors.New("nobody knows")
			}
			if old, has := piece["label"]; has && list == "products" {
				piece["name"] = old
				delete(piece, "label")
			}
			return nil
		},
	}
	for from, doc := range map[int]string{1: `{"sku":"A","title":"Cup & saucer"}`, 2: `{"sku":"A","label":"Cup & saucer"}`,
		3: `{"sku":"A","name":"Cup & saucer"}`} {
		piece, err := Upgrade(from, "products", []byte(doc))
		require.NoError(t, err)
		require.JSONEq(t, `{"sku":"A","name":"Cup & saucer"}`, string(piece), "from %d", from)
	}
	for _, from := range []int{0, 4, -1} {
		_, err := Upgrade(from, "products", []byte(`{}`))
		require.Error(t, err)
	}
	_, err := Upgrade(1, "products", []byte(`{"title":"broken"}`))
	require.ErrorContains(t, err, "to format 3: nobody knows")
	whole, err := upgraded([]byte(`{"book":"dogbane/1","settings":{"currency":"EUR"},"products":[{"sku":"A","title":"x"}],"rules":"no list"}`))
	require.NoError(t, err)
	require.JSONEq(t, `{"book":"dogbane/3","settings":{"currency":"EUR"},"products":[{"sku":"A","name":"x"}],"rules":"no list"}`, string(whole))
}

// A document of a newer program is refused as such, one of no format at all as what it is.
func TestDocumentsOfOtherFormats(t *testing.T) {
	for format, says := range map[string]string{"dogbane/2": "a newer version", "dogbane/01": "must be",
		"other/1": "must be", "dogbane/-1": "must be", "": "must be"} {
		_, err := Decode([]byte(`{"book":"` + format + `","settings":{"currency":"EUR","timeZone":"UTC"}}`))
		var errs Errors
		require.ErrorAs(t, err, &errs, format)
		require.Equal(t, "book", errs[0].Path)
		require.Contains(t, errs[0].Problem, says, format)
	}
}
