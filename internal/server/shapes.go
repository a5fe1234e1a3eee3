package server

import (
	"encoding/json"
	"fmt"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
)

// Doc is a piece of the book as docs/book.md writes it. It is decoded by package bookfile, which knows every error by
// its path.
type Doc[S shape] json.RawMessage

// shape says how the book's schema describes a piece.
type shape interface {
	describe(huma.Registry) *huma.Schema
}

// MarshalJSON writes the document as it is.
func (d Doc[S]) MarshalJSON() ([]byte, error) { return json.RawMessage(d).MarshalJSON() }

// UnmarshalJSON keeps the document as it is.
func (d *Doc[S]) UnmarshalJSON(data []byte) error {
	*d = append((*d)[:0], data...)
	return nil
}

// Schema describes the document as the book's own schema does.
func (Doc[S]) Schema(r huma.Registry) *huma.Schema {
	var s S
	return s.describe(r)
}

// The documents that the API speaks of.
type (
	RuleDoc     = Doc[ruleShape]
	SettingsDoc = Doc[settingsShape]
	ProductDoc  = Doc[productShape]
	ItemDoc     = Doc[itemShape] // any piece

	ruleShape     struct{}
	settingsShape struct{}
	productShape  struct{}
	itemShape     struct{}
)

func (ruleShape) describe(r huma.Registry) *huma.Schema     { return describe(r, "rule") }
func (settingsShape) describe(r huma.Registry) *huma.Schema { return describe(r, "settings") }
func (productShape) describe(r huma.Registry) *huma.Schema  { return describe(r, "product") }

// The kind stands beside the document, which a schema can only say as any of several; programs that read one know it.
func (itemShape) describe(r huma.Registry) *huma.Schema {
	for _, name := range []string{"group", "customer", "range", "ladder", "campaign", "channel"} {
		describe(r, name)
	}
	return &huma.Schema{Type: "object", AdditionalProperties: true, Description: "see docs/book.md"}
}

const (
	definitions = "#/$defs/"
	components  = "#/components/schemas/"
)

// bookDefinitions are those of the book's schema, by name.
var bookDefinitions = func() map[string]map[string]any {
	var schema struct {
		Defs map[string]map[string]any `json:"$defs"`
	}
	if err := json.Unmarshal(bookfile.Schema, &schema); err != nil {
		panic(fmt.Sprintf("reading the schema that the program was built with: %v", err))
	}
	return schema.Defs
}()

// describe enters a definition of the book's schema, and whatever it names, into the API's description.
func describe(r huma.Registry, name string) *huma.Schema {
	as := "Book" + strings.ToUpper(name[:1]) + name[1:]
	if _, entered := r.Map()[as]; !entered {
		s := &huma.Schema{}
		r.Map()[as] = s // first, since what it names may name it in turn
		s.Extensions = shapeOf(r, bookDefinitions[name])
	}
	return &huma.Schema{Ref: components + as}
}

// shapeOf keeps what a definition says about the shape of a value. What depends on other values is left to the reader
// of books, and would only blur the types that are made from the description.
func shapeOf(r huma.Registry, definition map[string]any) map[string]any {
	shape := map[string]any{}
	for key, value := range definition {
		switch key {
		case "allOf", "oneOf", "if", "then", "propertyNames":
		case "$ref":
			shape[key] = describe(r, strings.TrimPrefix(value.(string), definitions)).Ref
		case "properties":
			properties := map[string]any{}
			for name, p := range value.(map[string]any) {
				properties[name] = shapeOf(r, p.(map[string]any))
			}
			shape[key] = properties
		case "anyOf":
			var choices []any
			for _, one := range value.([]any) {
				choices = append(choices, shapeOf(r, one.(map[string]any)))
			}
			shape[key] = choices
		default:
			if inner, ok := value.(map[string]any); ok { // items, additionalProperties
				value = shapeOf(r, inner)
			}
			shape[key] = value
		}
	}
	return shape
}
