package book

import (
	"bytes"
	"encoding/json"
	"fmt"

	"dogbane/internal/money"
)

// Stock and units sold of products change far more often than the rest of them: they are pieces of their own, of the
// kind Measures, beside the documents of the products.

// Quantities are a product's stock and units sold, as documents write them; nil: unknown.
type Quantities struct{ Stock, Sold *string }

// Same reports whether both say the same.
func (m Quantities) Same(o Quantities) bool {
	return sameText(m.Stock, o.Stock) && sameText(m.Sold, o.Sold)
}

func sameText(a, b *string) bool { return (a == nil) == (b == nil) && (a == nil || *a == *b) }

// MeasuresDoc writes stock and units sold as the document of a piece of the kind Measures.
func MeasuresDoc(stock, sold *string) json.RawMessage {
	m := Quantities{stock, sold}
	return json.RawMessage(m.Join([]byte("{}")))
}

// Join is a document with the measures in it.
func (m Quantities) Join(doc []byte) []byte {
	for _, one := range []struct {
		key   string
		value *string
	}{{"stock", m.Stock}, {"sold", m.Sold}} {
		if one.value == nil {
			continue
		}
		end := bytes.LastIndexByte(doc, '}')
		comma := ","
		if bytes.Equal(bytes.TrimSpace(doc[:end]), []byte("{")) {
			comma = ""
		}
		doc = fmt.Appendf(doc[:end:end], "%s%q:%q}", comma, one.key, *one.value)
	}
	return doc
}

// SplitMeasures takes the measures out of a product's document. A document without them comes back as it is.
func SplitMeasures(doc []byte) ([]byte, Quantities) {
	var m Quantities
	if !bytes.Contains(doc, []byte(`"stock"`)) && !bytes.Contains(doc, []byte(`"sold"`)) {
		return doc, m
	}
	rest := make([]byte, 0, len(doc))
	member := func(text []byte) {
		key, value, _ := bytes.Cut(text, []byte{':'})
		field := &m.Stock
		switch string(bytes.TrimSpace(key)) {
		case `"stock"`:
		case `"sold"`:
			field = &m.Sold
		default:
			if len(rest) > 1 {
				rest = append(rest, ',')
			}
			rest = append(rest, text...)
			return
		}
		number := string(bytes.Trim(bytes.TrimSpace(value), `"`))
		*field = &number
	}
	depth, inText, from := 0, false, 0
	for i := 0; i < len(doc); i++ {
		switch c := doc[i]; {
		case inText && c == '\\':
			i++
		case c == '"':
			inText = !inText
		case inText:
		case c == '{' || c == '[':
			if depth++; depth == 1 {
				rest, from = append(rest, doc[:i+1]...), i+1
			}
		case depth == 1 && (c == ',' || c == '}'):
			if text := doc[from:i]; len(bytes.TrimSpace(text)) > 0 {
				member(text)
			}
			if from = i + 1; c == '}' {
				return append(rest, doc[i:]...), m
			}
		case c == '}' || c == ']':
			depth--
		}
	}
	return doc, Quantities{}
}

// readMeasures reads the document of a piece of the kind Measures.
func readMeasures(doc []byte) (stock, sold *money.Rat, err error) {
	_, m := SplitMeasures(doc)
	for _, one := range []struct {
		text *string
		to   **money.Rat
	}{{m.Stock, &stock}, {m.Sold, &sold}} {
		if one.text == nil {
			continue
		}
		n, err := money.Parse(*one.text)
		if err != nil {
			return nil, nil, err
		}
		*one.to = &n
	}
	return stock, sold, nil
}
