package demo

import "dogbane/internal/pricing"

// Password is that of every account of the demo.
const Password = "sprigs-and-slip"

// Account is somebody who may sign in to the demo.
type Account struct{ Name, FullName, Role string }

// Is reports whether a book is the demo's, as it was made or changed since: most of what was written for it by hand is
// there.
func Is(b *pricing.Book) bool {
	own, found := map[string]bool{}, 0
	for _, p := range singles() {
		own[p.SKU] = true
	}
	for i := range b.Products {
		if own[b.Products[i].SKU] {
			found++
		}
	}
	return found > len(own)/2
}

// People are the demo's accounts, one for each role.
func People() []Account {
	return []Account{
		{"maren", "Maren Oostveld", "manager"},
		{"ilko", "Ilko Brandsma-Vey", "approver"},
		{"tessel", "Tessel Quaye", "reader"},
		{"wout", "Wout Hallenga", "administrator"},
	}
}
