package flags

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
)

// Customers of one class pay the same for everything, everywhere; so asking one of each class finds what asking all
// does.
func TestCustomersOfAClassPayTheSame(t *testing.T) {
	asked, all := 0, 0
	for seed := range uint64(60) {
		rng := rand.New(rand.NewPCG(seed, 11))
		book := pricingtest.Book(rng)
		book.Customers = nil
		for i := range 20 {
			c := pricing.Customer{Code: fmt.Sprintf("C%d", i), Attrs: map[string]string{}}
			for _, g := range []string{"trade", "school", "walk-in"} {
				if rng.IntN(3) == 0 {
					c.Groups = append(c.Groups, g)
				}
			}
			if rng.IntN(2) == 0 {
				c.Attrs["region"] = []string{"north", "south", "west"}[rng.IntN(3)]
			}
			book.Customers = append(book.Customers, c)
		}
		e := pricing.Compile(book)
		first := map[string]string{}
		tells := &told{groups: map[string]bool{}, attrs: map[string]map[string]bool{}}
		named := map[string]bool{}
		read := func(a *pricing.Audience) {
			tells.read(a)
			if a != nil {
				for _, c := range a.Customers {
					named[c] = true
				}
			}
		}
		for i := range book.Rules {
			read(book.Rules[i].Audience)
		}
		for i := range book.Campaigns {
			read(book.Campaigns[i].Audience)
		}
		for i := range book.Customers {
			c := &book.Customers[i]
			class := tells.class(c)
			if named[c.Code] {
				class = c.Code
			}
			if first[class] == "" {
				first[class] = c.Code
				continue
			}
			for _, channel := range []string{"", "web", "till", "isle", "desk"} {
				vp := pricing.Viewpoint{At: pricingtest.Noon, Quantity: 1 + rng.IntN(6), Channel: channel, Customer: c.Code}
				mine, err := e.Sweep(vp)
				require.NoError(t, err)
				vp.Customer = first[class]
				theirs, err := e.Sweep(vp)
				require.NoError(t, err)
				for p := range int32(mine.Len()) {
					a, ok1 := mine.Price(p)
					b, ok2 := theirs.Price(p)
					require.Equal(t, b, a)
					require.Equal(t, ok2, ok1)
				}
			}
		}
		asked, all = asked+len(first), all+len(book.Customers)
	}
	require.Less(t, asked, all*3/4, "most customers are like another")
}
