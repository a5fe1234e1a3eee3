package book

import (
	"encoding/json"
	"maps"
	"slices"
)

// FieldChange is one key of a document that changed; the values are JSON, texts without their quotes.
type FieldChange struct {
	Field string `json:"field"`
	Was   string `json:"was"`
	Is    string `json:"is"`
}

// FieldChanges are the keys in which two documents differ.
func FieldChanges(before, after []byte) []FieldChange {
	a, _ := Keys(before)
	b, _ := Keys(after)
	keys := map[string]json.RawMessage{}
	maps.Copy(keys, a)
	maps.Copy(keys, b)
	out := []FieldChange{}
	text := func(raw json.RawMessage) string {
		var t string
		if json.Unmarshal(raw, &t) == nil {
			return t
		}
		return string(raw)
	}
	for _, key := range slices.Sorted(maps.Keys(keys)) {
		if string(a[key]) != string(b[key]) {
			out = append(out, FieldChange{key, text(a[key]), text(b[key])})
		}
	}
	return out
}

// Keys are the keys of a document.
func Keys(doc []byte) (map[string]json.RawMessage, error) {
	var m map[string]json.RawMessage
	err := json.Unmarshal(doc, &m)
	return m, err
}
