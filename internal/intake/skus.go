package intake

import (
	"strings"

	"dogbane/internal/pricing"
)

// SKUList is a pasted list, read.
type SKUList struct {
	Known   []string `json:"known" doc:"as the book writes them, each once"`
	Unknown []string `json:"unknown"`
	Twice   int      `json:"twice" doc:"how many stood in the list more than once"`
}

// ReadSKUs splits a pasted list at white space, commas, semicolons, bars and quotes; a SKU is found in any case.
func ReadSKUs(text string, b *pricing.Book) SKUList {
	folded := map[string]string{}
	for i := range b.Products {
		folded[strings.ToLower(b.Products[i].SKU)] = b.Products[i].SKU
	}
	out := SKUList{Known: []string{}, Unknown: []string{}}
	seen := map[string]bool{}
	take := func(word string) bool {
		sku, known := folded[strings.ToLower(word)]
		if !known {
			return false
		}
		if seen[sku] {
			out.Twice++
		} else {
			seen[sku] = true
			out.Known = append(out.Known, sku)
		}
		return true
	}
	for _, line := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune("\r\n\t,;|\"'", r) }) {
		line = strings.TrimSpace(line)
		if line == "" || take(line) { // a SKU may hold spaces
			continue
		}
		for _, word := range strings.Fields(line) {
			if !take(word) && !seen["?"+word] {
				seen["?"+word] = true
				out.Unknown = append(out.Unknown, word)
			}
		}
	}
	return out
}
