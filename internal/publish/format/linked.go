package format

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
)

// linked writes a JSON-LD document of schema.org Products, each with an Offer. Its context names the vocabulary alone,
// so nobody has to fetch one. What groups pay is not said: schema.org has no word for them.
type linked struct {
	light
	to  *bufio.Writer
	any bool
}

func newLinked(to io.Writer, _ About) (Writer, error) {
	f := &linked{to: bufio.NewWriter(to)}
	_, err := f.to.WriteString(`{"@context":{"@vocab":"https://schema.org/"},"@graph":[`)
	return f, err
}

// unitCodes are those of UN/CEFACT Recommendation 20 for what prices per unit are of (from memory).
var unitCodes = map[string]string{"kg": "KGM", "g": "GRM", "l": "LTR", "ml": "MLT", "m": "MTR", "cm": "CMT",
	"m2": "MTK", "m²": "MTK", "m3": "MTQ", "m³": "MTQ", "piece": "C62", "each": "C62"}

type object map[string]any

func (f *linked) Write(lines ...json.RawMessage) error { return each(lines, f.line) }

func (f *linked) line(data json.RawMessage) error {
	l, err := readLine(data)
	if err != nil {
		return err
	}
	specification := func(price string, more object) object {
		s := object{"@type": "UnitPriceSpecification", "price": price, "priceCurrency": l.Currency}
		if l.Tax != "" {
			s["valueAddedTaxIncluded"] = l.Tax == "included"
		}
		for k, v := range more {
			s[k] = v
		}
		return s
	}
	least := func(n int) object { return object{"@type": "QuantitativeValue", "minValue": n} }
	offer := object{"@type": "Offer", "price": l.Price, "priceCurrency": l.Currency}
	var specifications []object
	if l.Reference != "" {
		specifications = append(specifications, specification(l.Reference,
			object{"priceType": object{"@id": "https://schema.org/StrikethroughPrice"}}))
	}
	breaks := l.Breaks
	if l.Method != "" { // the vocabulary has no word for prices by the piece
		breaks = nil
	}
	for _, b := range breaks {
		specifications = append(specifications, specification(b.Price, object{"eligibleQuantity": least(b.From)}))
	}
	if u := l.PerUnit; u != nil {
		of := object{"@type": "QuantitativeValue", "value": 1, "unitText": u.Of}
		if code := unitCodes[u.Of]; code != "" {
			of["unitCode"] = code
		}
		specifications = append(specifications, specification(u.Price, object{"referenceQuantity": of}))
	}
	if specifications != nil {
		offer["priceSpecification"] = specifications
	}
	if l.Order != nil && l.Order.Min > 1 {
		offer["eligibleQuantity"] = least(l.Order.Min)
	}
	if l.Until != "" {
		offer["validThrough"] = l.Until
	}
	product := object{"@type": "Product", "sku": l.SKU, "offers": offer}
	if l.Name != "" {
		product["name"] = l.Name
	}
	text, err := json.Marshal(product)
	if err != nil {
		return fmt.Errorf("write the feed: %w", err)
	}
	if f.any {
		text = append([]byte(",\n"), text...)
	}
	f.any = true
	_, err = f.to.Write(text)
	return err
}

func (f *linked) End() error {
	if _, err := f.to.WriteString("]}\n"); err != nil {
		return err
	}
	return f.to.Flush()
}
