package telling

import (
	"math/big"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/pricing"
	"dogbane/internal/pricing/basket"
	"dogbane/internal/pricing/pricingtest"
)

// readTotal is what a line of so many pieces costs, read from what a channel was told and nothing else, as section 2 of
// docs/publication.md has it.
func readTotal(t *testing.T, told GroupPrices, quantity int) *big.Rat {
	t.Helper()
	amount := func(s string) *big.Rat {
		r, ok := new(big.Rat).SetString(s)
		require.True(t, ok, s)
		return r
	}
	costs := func(piece int) *big.Rat {
		price := amount(told.Price)
		for _, b := range told.Breaks {
			if b.From <= piece {
				price = amount(b.Price)
			}
		}
		return price
	}
	total := new(big.Rat)
	for piece := 1; piece <= quantity; piece++ {
		if told.Method == "brackets" {
			total.Add(total, costs(piece))
		} else {
			total.Add(total, costs(quantity))
		}
	}
	return total
}

// What a channel reads from its lines is what its customers are quoted, for 1 to 60 pieces, guests and groups, or the
// line says that it has to be asked for; and it says so only where no reading of its entries comes out right.
func TestLinesSayWhatALineCosts(t *testing.T) {
	read, asked, bracketed := 0, 0, 0
	for seed := range uint64(36) {
		rng := rand.New(rand.NewPCG(seed, 31))
		b := pricingtest.Book(rng)
		if len(b.Channels) == 0 {
			continue
		}
		for i := range b.Products {
			b.Products[i].MinOrder = max(0, rng.IntN(10)-4)
		}
		brackets := rng.IntN(3) > 0
		for i := range b.Channels {
			if b.Channels[i].Can = []string{"breaks", "groups"}; brackets {
				b.Channels[i].Can = append(b.Channels[i].Can, "brackets")
			}
		}
		e := pricing.Compile(b)
		till := basket.Compile(e)
		tell, err := Tell(e, till, b.Channels[0].Code, Lowest30)
		require.NoError(t, err)
		lines, err := tell.At(pricingtest.Noon, nil)
		require.NoError(t, err)
		for p := range int32(len(e.Products())) {
			told, is := lines.Of(p)
			if !is {
				continue
			}
			product := e.Products()[p]
			least, _ := till.Least(lines.Scope, p)
			for _, group := range append([]string{""}, tell.Groups...) {
				have, own := told.Groups[group]
				if !own {
					have = GroupPrices{told.Price, told.Breaks, told.Method, told.Ask}
				}
				quote := func(quantity int) *big.Rat {
					q := basket.Question{Viewpoint: tell.Viewpoint(pricingtest.Noon, 1),
						Lines: []pricing.Line{{SKU: product.SKU, Quantity: quantity}}}
					if group != "" {
						q.Groups = []string{group}
					}
					a, err := till.Price(q)
					require.NoError(t, err)
					if a.Lines[0].Runs == nil {
						return nil
					}
					total, _ := new(big.Rat).SetString(a.Lines[0].PricedLine.Total().Fixed(6))
					return total
				}
				if have.Ask {
					require.Empty(t, have.Breaks)
					if asked++; brackets && product.Unit != "day" && !derivesFromSubtotal(b, product) {
						require.False(t, tells(t, lines, p, slices.Index(tell.Groups, group)+1, least, quote),
							"seed %d %s %q is not to be asked for", seed, product.SKU, group)
					}
					continue
				}
				if have.Method == "brackets" {
					bracketed++
					require.True(t, brackets)
				}
				if own && have.Price == told.Price && !told.Ask {
					require.False(t, slices.Equal(have.Breaks, told.Breaks) && have.Method == told.Method, "nothing differs")
				}
				for quantity := least; quantity <= 60; quantity++ {
					read++
					require.Equal(t, quote(quantity), readTotal(t, have, quantity), "seed %d %s %q × %d: %v", seed, product.SKU, group,
						quantity, have)
				}
			}
		}
	}
	t.Logf("%d totals read, %d lines with brackets, %d to be asked for", read, bracketed, asked)
	require.Greater(t, read, 10000)
	require.Greater(t, bracketed, 10)
	require.Greater(t, asked, 50)
}

// tells reports whether entries of a line make its total for every quantity, by either method.
func tells(t *testing.T, lines *Lines, p int32, place, least int, quote func(quantity int) *big.Rat) bool {
	t.Helper()
	price, _ := lines.Orders(least)[place].Price(p)
	own := GroupPrices{}
	for i, e := range lines.entries(nil, p, place, least, price) {
		text := big.NewRat(e.minor, 1)
		for range lines.Digits {
			text.Quo(text, big.NewRat(10, 1))
		}
		if i == 0 {
			own.Price = text.FloatString(lines.Digits)
		} else {
			own.Breaks = append(own.Breaks, LineBreak{e.from, text.FloatString(lines.Digits)})
		}
	}
	for _, method := range []Method{EachReached, Brackets} {
		own.Method = method
		right := true
		for quantity := least; right && quantity <= 400; quantity++ {
			total := quote(quantity)
			right = total != nil && total.Cmp(readTotal(t, own, quantity)) == 0
		}
		if right {
			return true
		}
	}
	return false
}

// derivesFromSubtotal reports whether some rule may take a product's price from a sum.
func derivesFromSubtotal(b *pricing.Book, p *pricing.Product) bool {
	for i := range b.Rules {
		r := &b.Rules[i]
		if ofSubtotal(r.Effect) || slices.ContainsFunc(r.Breaks, func(s pricing.Break) bool { return ofSubtotal(&s.Effect) }) {
			return true
		}
	}
	return slices.ContainsFunc(b.Ladders, func(l pricing.Ladder) bool {
		return slices.ContainsFunc(l.Breaks, func(s pricing.Break) bool { return ofSubtotal(&s.Effect) })
	})
}
