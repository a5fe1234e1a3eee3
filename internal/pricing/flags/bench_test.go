package flags_test

import (
	"fmt"
	"testing"
	_ "time/tzdata"

	"github.com/stretchr/testify/require"

	"dogbane/internal/demo"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
)

// The search with 5,000 customers whom no rule tells apart, beside the demo's twelve, which are the baseline.
func BenchmarkManyCustomers(b *testing.B) {
	now, err := pricing.ParseMoment(demo.Now)
	require.NoError(b, err)
	for _, n := range []int{0, 5000} {
		book := demo.Book(0)
		for i := range n {
			book.Customers = append(book.Customers, pricing.Customer{Code: fmt.Sprintf("N-%d", i), Groups: []string{"trade"}})
		}
		e := pricing.Compile(book)
		b.Run(fmt.Sprint(12+n), func(b *testing.B) {
			for range b.N {
				_, err := flags.Find(e, flags.Question{From: now, To: now + 90*pricing.Day})
				require.NoError(b, err)
			}
		})
	}
}
