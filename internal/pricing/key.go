package pricing

import (
	"cmp"
	"encoding/binary"
	"maps"
	"slices"
)

// Key is a text that is the same for two viewpoints just where they are the same question: every part stands with its
// length before it, what is a set is sorted, and what a question leaves out counts as what it then means.
func (vp Viewpoint) Key() string {
	key := make([]byte, 0, 64)
	number := func(n int64) { key = binary.AppendVarint(key, n) }
	text := func(s string) { number(int64(len(s))); key = append(key, s...) }
	set := func(list []string) {
		sorted := slices.Clone(list)
		slices.Sort(sorted)
		sorted = slices.Compact(sorted)
		number(int64(len(sorted)))
		for _, s := range sorted {
			text(s)
		}
	}
	truth := func(b bool) {
		if b {
			number(1)
		} else {
			number(0)
		}
	}
	signedIn := vp.Customer != ""
	if vp.SignedIn != nil {
		signedIn = *vp.SignedIn
	}
	number(int64(vp.At))
	text(vp.Channel)
	text(vp.Customer)
	set(vp.Groups)
	text(vp.Country)
	number(int64(max(vp.Quantity, 1)))
	truth(vp.FirstOrder)
	truth(signedIn)
	number(int64(max(vp.Term, 1)))
	set(vp.With)
	number(int64(len(vp.Attrs)))
	for _, name := range slices.Sorted(maps.Keys(vp.Attrs)) {
		text(name)
		text(vp.Attrs[name])
	}
	history := slices.Clone(vp.History)
	slices.SortFunc(history, func(a, b Purchase) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(a.SKU, b.SKU), cmp.Compare(a.Quantity, b.Quantity))
	})
	number(int64(len(history)))
	for _, h := range history {
		text(h.SKU)
		number(int64(h.Quantity))
		number(int64(h.At))
	}
	return string(key)
}
