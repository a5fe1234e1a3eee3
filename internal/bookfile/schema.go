package bookfile

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// Schema is the JSON Schema (2020-12) of a book document. What it cannot say, its description names. Which keys an
// object may have, and in which order they are written, is said here alone: reader, writer and API ask it.
//
//go:embed schema.json
var Schema []byte

// shapes are the keys of each object of the schema in its order, by the definition and the way into it, such as "rule"
// and "rule.floor"; that of the whole book is "".
var shapes = func() map[string][]string {
	found := map[string][]string{}
	var whole struct {
		Defs inOrder `json:"$defs"`
	}
	if err := json.Unmarshal(Schema, &whole); err != nil {
		panic(fmt.Sprintf("reading the schema that the program was built with: %v", err))
	}
	enter(found, "", Schema)
	for _, d := range whole.Defs {
		enter(found, d.key, d.value)
	}
	return found
}()

// keysOf are the keys that an object of a shape may have.
func keysOf(shape string) []string {
	keys, known := shapes[shape]
	if !known {
		panic(fmt.Sprintf("bookfile: the schema has no shape %q", shape))
	}
	return keys
}

// forms are what a rule does, one of which it has.
var forms = []string{"effect", "breaks", "ladder", "offer", "order"}

// goesWith are the forms beside which a key of a rule may stand, for keys that do not go with every form.
var goesWith = func() map[string][]string {
	type test struct {
		Required []string
		AnyOf    []test
	}
	var whole struct {
		Defs struct {
			Rule struct {
				AllOf []struct {
					If   test
					Then struct{ Properties map[string]json.RawMessage }
				}
			}
		} `json:"$defs"`
	}
	if err := json.Unmarshal(Schema, &whole); err != nil {
		panic(fmt.Sprintf("reading the rules of the schema that the program was built with: %v", err))
	}
	refused := map[string][]string{}
	for _, a := range whole.Defs.Rule.AllOf {
		for _, t := range append(a.If.AnyOf, a.If) {
			if len(t.Required) != 1 || !slices.Contains(forms, t.Required[0]) {
				continue
			}
			for key, value := range a.Then.Properties {
				if string(value) == "false" {
					refused[key] = append(refused[key], t.Required[0])
				}
			}
		}
	}
	with := map[string][]string{}
	for key, not := range refused {
		with[key] = slices.DeleteFunc(slices.Clone(forms), func(f string) bool { return slices.Contains(not, f) })
	}
	return with
}()

// enter enters an object of the schema, and those within it.
func enter(found map[string][]string, name string, definition []byte) {
	var d struct {
		Properties inOrder
		Items      json.RawMessage
		AnyOf      []json.RawMessage
	}
	if json.Unmarshal(definition, &d) != nil { // true or false
		return
	}
	for _, choice := range d.AnyOf {
		enter(found, name, choice)
	}
	if d.Items != nil {
		enter(found, name, d.Items)
	}
	if d.Properties == nil {
		return
	}
	keys := make([]string, len(d.Properties))
	for i, p := range d.Properties {
		keys[i] = p.key
		enter(found, strings.TrimPrefix(name+"."+p.key, "."), p.value)
	}
	found[name] = keys
}

// inOrder is a JSON object whose members keep their order.
type inOrder []struct {
	key   string
	value json.RawMessage
}

func (o *inOrder) UnmarshalJSON(data []byte) error {
	dec := json.NewDecoder(bytes.NewReader(data))
	if _, err := dec.Token(); err != nil {
		return err
	}
	for dec.More() {
		key, err := dec.Token()
		if err != nil {
			return err
		}
		var value json.RawMessage
		if err := dec.Decode(&value); err != nil {
			return err
		}
		*o = append(*o, struct {
			key   string
			value json.RawMessage
		}{key.(string), value})
	}
	return nil
}
