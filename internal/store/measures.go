package store

import (
	"bytes"
	"encoding/json"
	"fmt"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Stock and units sold of products change far more often than the rest of them. They are kept in a table of their own
// and joined to the products' documents when the book is loaded.

// measures are a product's stock and units sold, as documents write them; nil: unknown.
type measures struct {
	SKU         string `gorm:"column:sku;primaryKey"`
	Stock, Sold *string
}

func (measures) TableName() string { return "measures" }

func (m measures) same(o measures) bool {
	return sameText(m.Stock, o.Stock) && sameText(m.Sold, o.Sold)
}

func sameText(a, b *string) bool { return (a == nil) == (b == nil) && (a == nil || *a == *b) }

// MeasuresDoc writes stock and units sold as the document of a piece of the kind Measures.
func MeasuresDoc(stock, sold *string) json.RawMessage {
	m := measures{Stock: stock, Sold: sold}
	return json.RawMessage(m.joined([]byte("{}")))
}

// joined is a document with the measures in it.
func (m measures) joined(doc []byte) []byte {
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

// split takes the measures out of a product's document. A document without them comes back as it is.
func split(sku string, doc []byte) ([]byte, measures) {
	m := measures{SKU: sku}
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
	return doc, measures{SKU: sku}
}

// measuresOf are those kept of some products.
func measuresOf(tx *gorm.DB, skus []string) (map[string]measures, error) {
	var rows []measures
	if err := tx.Where("sku IN ?", skus).Find(&rows).Error; err != nil {
		return nil, err
	}
	now := make(map[string]measures, len(rows))
	for _, r := range rows {
		now[r.SKU] = r
	}
	return now, nil
}

// keepMeasures writes those of some products; rows without any go.
func keepMeasures(tx *gorm.DB, list []measures) error {
	var rows []measures
	var gone []string
	for _, m := range list {
		if m.Stock == nil && m.Sold == nil {
			gone = append(gone, m.SKU)
		} else {
			rows = append(rows, m)
		}
	}
	if len(gone) > 0 {
		if err := tx.Where("sku IN ?", gone).Delete(&measures{}).Error; err != nil {
			return err
		}
	}
	if len(rows) == 0 {
		return nil
	}
	return tx.Clauses(clause.OnConflict{DoUpdates: clause.AssignmentColumns([]string{"stock", "sold"})}).CreateInBatches(&rows, batchSize).Error
}
