// Package bookfiletest makes pieces of books by chance, from the schema alone: each key in each form that it may have.
package bookfiletest

import (
	"encoding/json"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"

	"dogbane/internal/bookfile"
)

// texts are what people write, and what breaks programs that split, trim or quote.
var texts = []string{"A", "dry, matte", `the "best"`, "Fernhask & “Sons”", "<b>", " blanks ", "=1+1", "emoji 🎨", "עברית", "a/b",
	"6", "0.50", "all", "need:a", "x\ny"}

// samples are values of what the schema describes by a pattern, by its definition.
var samples = map[string][]string{
	"code":     {"A", "b.1", "C-2_x", "GLAZE-WEEK"},
	"sku":      {"A-1", "B 2", "C,3", "Ü&4"},
	"name":     texts,
	"text":     texts,
	"word":     texts,
	"decimal":  {"0", "1", "-3.5", "12.50", "1000"},
	"amount":   {"0", "1", "0.05", "12.50", "1234.56"},
	"positive": {"1", "0.05", "12.50"},
	"percent":  {"0", "5", "33.3", "100"},
	"margin":   {"-5", "0", "12.5", "99"},
	"currency": {"EUR", "GBP", "JPY"},
	"moment": {"2026-11-27T10:00", "2026-12-01T00:00", "2026-12-06T18:00:30", "2027-02-28T23:59",
		"2027-03-01T00:00:01"},
	"clock":      {"00:00", "09:30", "18:00:30"},
	"weekMoment": {"fri 18:00", "mon 08:00:30", "sun 00:00"},
	"monthDay":   {"01-01", "05-16", "12-31"},
}

// patterns are values of texts that have a pattern of their own, by the key.
var patterns = map[string][]string{
	"of":      {"list", "cost", "rrp", "catalog", "cost:landed, all in", "level:B"},
	"measure": {"quantity", "spend", "term", "days", "attr:kg", "attr:a, b"},
	"words":   {"CLAY-DAY", "X99", "ABC"},

	"timeZone": {"Europe/Amsterdam", "Asia/Tokyo"},
}

// Piece is one piece of a kind of list, such as "rules". What the schema cannot say may make it one that a book refuses.
func Piece(r *rand.Rand, kind string) []byte {
	m := maker{r, definitions()}
	name := strings.TrimSuffix(kind, "s")
	if kind == "settings" {
		name = kind
	}
	out, err := json.Marshal(m.value(map[string]any{"$ref": "#/$defs/" + name}, name, 0))
	if err != nil {
		panic(fmt.Sprintf("writing a piece: %v", err))
	}
	return out
}

var definitions = sync.OnceValue(func() map[string]any {
	var whole struct {
		Defs map[string]any `json:"$defs"`
	}
	if err := json.Unmarshal(bookfile.Schema, &whole); err != nil {
		panic(fmt.Sprintf("reading the schema: %v", err))
	}
	return whole.Defs
})

type maker struct {
	r    *rand.Rand
	defs map[string]any
}

func one[T any](r *rand.Rand, list []T) T { return list[r.IntN(len(list))] }

// value is one that a definition allows; key is that at which it stands, deep how far in.
func (m maker) value(def map[string]any, key string, deep int) any {
	if list, is := patterns[key]; is && def["type"] != "array" {
		return one(m.r, list)
	}
	if ref, is := def["$ref"].(string); is {
		name := strings.TrimPrefix(ref, "#/$defs/")
		if list, is := samples[name]; is {
			return one(m.r, list)
		}
		return m.value(m.defs[name].(map[string]any), name, deep)
	}
	if fixed, is := def["const"]; is {
		return fixed
	}
	if list, is := def["enum"].([]any); is {
		return one(m.r, list)
	}
	if list, is := def["anyOf"].([]any); is && def["type"] == nil {
		return m.value(one(m.r, list).(map[string]any), key, deep)
	}
	kind := def["type"]
	if kinds, several := kind.([]any); several {
		kind = one(m.r, kinds)
	}
	switch kind {
	case "boolean":
		return m.r.IntN(2) == 0
	case "integer":
		return m.r.IntN(40) + 1
	case "number":
		return float64(m.r.IntN(200)) / 4
	case "string":
		return one(m.r, texts)
	case "array":
		return m.list(def, key, deep)
	}
	return m.object(def, key, deep)
}

func (m maker) list(def map[string]any, key string, deep int) []any {
	if key == "layers" { // each once, which a schema cannot say
		return []any{map[string]any{"layer": "catalog", "mode": "stack"}, map[string]any{"layer": "tier", "mode": "first"},
			map[string]any{"layer": "sale", "mode": "lowest", "then": "end-price"},
			map[string]any{"layer": "group", "mode": "first"}, map[string]any{"layer": "promotion", "mode": "add"}}
	}
	least, _ := def["minItems"].(float64)
	most := least + 3
	if exact, is := def["maxItems"].(float64); is {
		most = exact
	}
	n := int(least) + m.r.IntN(int(most-least)+1)
	if deep > 4 {
		n = int(least)
	}
	list := []any{}
	items, _ := def["items"].(map[string]any)
	for range n {
		list = append(list, m.value(items, key, deep+1))
	}
	return list
}

func (m maker) object(def map[string]any, key string, deep int) map[string]any {
	properties, _ := def["properties"].(map[string]any)
	if more, named := def["additionalProperties"].(map[string]any); named {
		o := map[string]any{}
		for range m.r.IntN(3) + 1 {
			name := one(m.r, []string{"region", "tier", "cone", "a, b", "standard"})
			if key == "rates" || key == "listIn" {
				name = one(m.r, []string{"GBP", "USD", "JPY"})
			} else if key == "countries" {
				name = one(m.r, []string{"DE", "CH", "NL"})
			}
			o[name] = m.value(more, name, deep+1)
		}
		return o
	}
	keys := slices.Sorted(maps.Keys(properties))
	wanted := map[string]bool{}
	if exactly, is := def["maxProperties"].(float64); is && exactly == 1 { // a condition
		if deep > 4 {
			keys = slices.DeleteFunc(keys, func(k string) bool { return k == "all" || k == "any" || k == "not" })
		}
		wanted[one(m.r, keys)] = true
	} else {
		required, _ := def["required"].([]any)
		for _, k := range required {
			wanted[k.(string)] = true
		}
		for _, k := range keys {
			wanted[k] = wanted[k] || m.r.IntN(3) == 0
		}
		m.choose(key, wanted)
	}
	o := map[string]any{}
	for _, k := range keys {
		if wanted[k] {
			o[k] = m.value(properties[k].(map[string]any), k, deep+1)
		}
	}
	return o
}

// forms are the keys of which an object has exactly one, by its name, where its definition says it by other means.
var forms = map[string][]string{
	"effect": {"percentOff", "percentOn", "amountOff", "amountOn", "setPrice", "level", "markup", "margin", "derive"},
	"break":  {"percentOff", "percentOn", "amountOff", "amountOn", "setPrice", "level", "markup", "margin", "derive"},
	"maxOff": {"percent", "amount"},
	"floor":  {"amount", "margin", "cost", "level"},
	"give":   {"percentOff", "amountOff", "each", "forTotal"},
	"rule":   {"effect", "breaks", "ladder", "offer", "order"},
}

// choose leaves exactly one of the forms, and of a rule what goes with it.
func (m maker) choose(key string, wanted map[string]bool) {
	list, is := forms[key]
	if !is {
		return
	}
	for _, form := range list {
		delete(wanted, form)
	}
	form := one(m.r, list)
	wanted[form] = true
	if key == "floor" && (form == "amount" || form == "level") {
		delete(wanted, "withFee")
	}
	if key != "rule" {
		return
	}
	if form != "breaks" {
		for _, k := range []string{"method", "count", "measure", "historyDays"} {
			delete(wanted, k)
		}
	}
	if form == "offer" || form == "order" {
		for _, k := range []string{"of", "on", "ending", "maxOff", "floor", "mayRaise"} {
			delete(wanted, k)
		}
	}
}
