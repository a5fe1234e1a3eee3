package intake_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/book/booktest"
	"dogbane/internal/intake"
	"dogbane/internal/pricing"
)

const stall = `{"settings":{"currency":"EUR","timeZone":"UTC","taxRates":{"standard":"21"}},
	"customers":[{"code":"C-1","name":"Müller & <Söhne>"},{"code":"C-2","name":"Two"},{"code":"C-3","name":"two"},{"code":"Two-4","name":"C-1"}],
	"channels":[{"code":"web","name":"Web"}],
	"products":[
		{"sku":"A","name":"=1+1","list":"10.00","cost":"5.00","levels":{"Dealer":"9.00","agreed:C-1":"8.00"},"costs":{"import":"0.40"},"attrs":{"colour":"red","Stock":"shelf"}},
		{"sku":"طين","name":"Clay, raw \"wet\"","list":"1450.00","taxClass":"standard","tags":["a","b"],"content":{"amount":"12.5","of":"kg"}}]}`

func read(t *testing.T, text string) *intake.Table {
	t.Helper()
	table, err := intake.ReadText([]byte(text), nil)
	require.NoError(t, err)
	return table
}

// Price levels and further costs that the book has are matched by their names; a header that says it is one makes a new
// one; any other is an attribute, or what somebody says it is.
func TestLevelsAndFurtherCosts(t *testing.T) {
	book := booktest.Read(t, stall)
	table := read(t, "SKU;Dealer;Preisliste Großhandel;cost: freight;Cost import;Shade;Fair\nA;8,95;1.234,50;0,30;0,45;red;7,00\n")
	columns := intake.ProductColumns(book)
	mapping := intake.Match(table.Headers, columns)
	intake.MatchNamed(columns, table.Headers, mapping)
	require.Equal(t, map[string]string{"sku": "SKU", "level:Dealer": "Dealer", "level:Großhandel": "Preisliste Großhandel",
		"cost:freight": "cost: freight", "cost:import": "Cost import", "attr:Shade": "Shade", "attr:Fair": "Fair"}, mapping)
	delete(mapping, "attr:Fair")
	mapping["level:Fair"] = "Fair"
	all := intake.WithNamed(columns, table.Headers, mapping)
	require.Empty(t, table.Settle(all, mapping), "1.234,50 says how numbers are written")
	out, err := intake.Compare(table, mapping, book, present)
	require.NoError(t, err)
	require.Empty(t, out.Bad)
	after := out.Changes[0].After
	require.Equal(t, []string{"8.95", "1234.5", "7", "8"}, []string{after.Levels["Dealer"].String(),
		after.Levels["Großhandel"].String(), after.Levels["Fair"].String(), after.Levels["agreed:C-1"].String()})
	require.Equal(t, []string{"0.3", "0.45"}, []string{after.Costs["freight"].String(), after.Costs["import"].String()})
	require.Equal(t, "9", book.Products[0].Levels["Dealer"].String(), "the book is left as it is")
	var fields []string
	for _, c := range out.Changes[0].Changes {
		fields = append(fields, c.Field+" "+c.Was+" "+c.Is)
	}
	require.ElementsMatch(t, []string{"level:Dealer 9.00 8.95", "level:Großhandel  1234.50", "level:Fair  7.00",
		"cost:freight  0.30", "cost:import 0.40 0.45", "attr:Shade  red"}, fields)

	for _, column := range columns {
		require.NotContains(t, column.Key, "agreed", "what was agreed with a customer is no level of a product file")
	}
	out, err = intake.Compare(read(t, "SKU,x\nA,1\n"), map[string]string{"sku": "SKU", "level:agreed:C-1": "x"}, book, present)
	require.NoError(t, err)
	require.Contains(t, out.Bad[0].Problem, "agreed prices")
	out, err = intake.Compare(read(t, "SKU,x\nA,dear\n"), map[string]string{"sku": "SKU", "cost:x": "x"}, book, present)
	require.NoError(t, err)
	require.Equal(t, "dear", out.Bad[0].Value)
}

// Customers are known by code or by name; a name that is shared says whose it is.
func TestCustomersByName(t *testing.T) {
	book := booktest.Read(t, stall)
	for cell, want := range map[string]string{"C-1": "C-1", " müller &  <söhne> ": "C-1", "C-2": "C-2", "Two": "", "nobody": "", "Two-4": "Two-4"} {
		table := read(t, "customer,sku,price\n"+cell+",A,1\n")
		list, bad, err := intake.ReadAgreed(table, intake.Match(table.Headers, intake.AgreedColumns), book)
		require.NoError(t, err)
		if want == "" {
			require.Len(t, bad, 1, cell)
			require.Equal(t, "customer", bad[0].Column)
			continue
		}
		require.Equal(t, want, list[0].Customer, cell)
	}
	table := read(t, "customer,sku,price\ntwo,A,1\n")
	_, bad, err := intake.ReadAgreed(table, intake.Match(table.Headers, intake.AgreedColumns), book)
	require.NoError(t, err)
	require.Contains(t, bad[0].Problem, "C-2 or C-3")
	table = read(t, "at,sku,quantity,customer\n2026-11-20,A,1,Müller & <Söhne>\n2026-11-20,A,1,gone by now\n")
	sales, bad, err := intake.ReadSales(table, intake.Match(table.Headers, intake.SaleColumns), book, pricing.Moment(1_800_000_000))
	require.NoError(t, err)
	require.Empty(t, bad)
	require.Equal(t, []string{"C-1", "gone by now"}, []string{sales[0].Customer, sales[1].Customer})
}

// A sample is read back without a complaint and, of products, changes nothing; in an empty book it is read as well.
func TestSamples(t *testing.T) {
	full, empty := booktest.Read(t, stall), booktest.Read(t, `{"settings":{"currency":"EUR","timeZone":"UTC"},"channels":[{"code":"web"}]}`)
	now := pricing.Moment(1_795_000_000)
	for _, book := range []*pricing.Book{full, empty} {
		for _, sheet := range []bool{true, false} {
			for kind, columns := range map[string][]intake.Column{"products": intake.ProductColumns(book), "sales": intake.SaleColumns,
				"agreed": intake.AgreedColumns, "rates": intake.RateColumns} {
				data, err := intake.WriteSample(intake.Sample(kind, book, now), sheet)
				require.NoError(t, err)
				table, err := intake.Read(data, nil)
				require.NoError(t, err)
				mapping := intake.Match(table.Headers, columns)
				require.Len(t, mapping, len(columns), "%s: every column is matched", kind)
				table.Settle(columns, mapping)
				switch kind {
				case "products":
					out, err := intake.Compare(table, mapping, book, present)
					require.NoError(t, err)
					require.Empty(t, out.Bad)
					if book == full && sheet {
						require.Empty(t, out.Changes, "as it is it changes nothing")
					}
				case "agreed":
					_, bad, err := intake.ReadAgreed(table, mapping, book)
					require.NoError(t, err)
					require.Equal(t, book == empty, len(bad) > 0, "%v", bad)
				case "sales":
					_, bad, err := intake.ReadSales(table, mapping, book, now)
					require.NoError(t, err)
					require.Empty(t, bad)
				}
				if !sheet {
					require.False(t, strings.Contains(string(data), ",=1+1"), "no cell is run as a formula")
				}
			}
		}
	}
}

const present = pricing.Moment(20_783*24*3600 + 12*3600) // 26 November 2026, noon
