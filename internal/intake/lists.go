package intake

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/xuri/excelize/v2"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// Sale is one line of a file of sales.
type Sale struct {
	Line     int
	At       pricing.Moment
	Customer string // empty: a guest
	SKU      string
	Quantity int
	Paid     *money.Rat // for all pieces; nil: unknown
	Channel  string
}

// SaleColumns are what a file of sales can fill.
var SaleColumns = []Column{
	{Key: "at", Name: "When", Required: true, Holds: Dates},
	{Key: "sku", Name: "SKU", Required: true},
	{Key: "quantity", Name: "Quantity", Required: true, Holds: Numbers},
	{Key: "customer", Name: "Customer"},
	{Key: "paid", Name: "Paid", Holds: Numbers},
	{Key: "channel", Name: "Channel"},
}

// Agreed is a price agreed with one customer for one product.
type Agreed struct {
	Line          int
	Customer, SKU string
	Price         money.Rat
}

// AgreedColumns are what a file of agreed prices can fill.
var AgreedColumns = []Column{
	{Key: "customer", Name: "Customer", Required: true},
	{Key: "sku", Name: "SKU", Required: true},
	{Key: "price", Name: "Price", Required: true, Holds: Numbers},
}

// Rate is an exchange rate: an amount in the currency is one in the book's currency × Rate.
type Rate struct {
	Line     int
	Currency string
	Rate     money.Rat
	Day      time.Time // midnight UTC of the day it is of
}

// RateColumns are what a file of exchange rates can fill.
var RateColumns = []Column{
	{Key: "currency", Name: "Currency", Required: true},
	{Key: "rate", Name: "Rate", Required: true, Holds: Numbers},
	{Key: "day", Name: "Day", Holds: Dates},
}

// MissingColumn says that no column of a file fills something that is needed.
type MissingColumn struct{ Name string }

func (e *MissingColumn) Error() string {
	name := strings.ToLower(e.Name)
	if e.Name == "SKU" {
		name = e.Name
	}
	return fmt.Sprintf("No column holds the %s. Say below which one does.", name)
}

// row is one row under a mapping.
type row struct {
	table  *Table
	n      int
	column map[string]int
	bad    *[]BadCell
	failed bool
}

func (r *row) cell(key string) string {
	at, mapped := r.column[key]
	if !mapped || at >= len(r.table.Rows[r.n]) {
		return ""
	}
	return strings.TrimSpace(r.table.Rows[r.n][at])
}

func (r *row) fail(key, problem string) {
	r.failed = true
	cell := BadCell{Line: r.table.Lines[r.n], Value: shorten(r.cell(key)), Problem: problem}
	if at, mapped := r.column[key]; mapped {
		cell.Column = r.table.Headers[at]
	}
	*r.bad = append(*r.bad, cell)
}

// places are where the columns of a mapping stand. The error is a *MissingColumn, or names a header that the table does
// not have.
func (t *Table) places(columns []Column, mapping map[string]string) (map[string]int, error) {
	at := map[string]int{}
	for key, header := range mapping {
		if header == "" {
			continue
		}
		i := slices.Index(t.Headers, header)
		if i < 0 {
			return nil, fmt.Errorf("the file has no column %q", header)
		}
		at[key] = i
	}
	for _, c := range columns {
		if _, mapped := at[c.Key]; c.Required && !mapped {
			return nil, &MissingColumn{c.Name}
		}
	}
	return at, nil
}

// each goes through the rows of a table under a mapping, with the errors of places.
func (t *Table) each(columns []Column, mapping map[string]string, take func(r *row)) ([]BadCell, error) {
	at, err := t.places(columns, mapping)
	if err != nil {
		return nil, err
	}
	bad := []BadCell{}
	for n := range t.Rows {
		r := &row{table: t, n: n, column: at, bad: &bad}
		if len(t.Rows[n]) != len(t.Headers) {
			r.fail("", fmt.Sprintf("has %d cells where the header has %d", len(t.Rows[n]), len(t.Headers)))
			continue
		}
		for _, c := range columns {
			if c.Required && r.cell(c.Key) == "" {
				r.fail(c.Key, "must not be empty")
			}
		}
		if !r.failed {
			take(r)
		}
	}
	return bad, nil
}

// number reads a cell as a decimal that is not negative; of amounts the currency is looked at.
func (r *row) number(key, currency string) money.Rat {
	n, err := r.table.number(r.cell(key), currency)
	if err != nil {
		r.fail(key, err.Error())
	}
	return n
}

// moment reads a date, or a date and time, as text or as a spreadsheet's number of days.
func (r *row) moment(key string) pricing.Moment {
	cell := r.cell(key)
	if days, err := strconv.ParseFloat(cell, 64); err == nil && r.table.Sheet {
		if t, err := excelize.ExcelDateToTime(days, r.table.date1904); err == nil && days >= 1 && days < 200_000 {
			return pricing.MomentOf(t.Round(time.Second))
		}
	}
	m, err := r.table.Format.date(cell)
	if err != nil {
		r.fail(key, err.Error())
	}
	return m
}

// known says where the pieces of a book are.
type known struct {
	products, customers, channels map[string]bool

	named map[string][]string // codes of customers by what they are called
}

func knownIn(b *pricing.Book) known {
	k := known{map[string]bool{}, map[string]bool{}, map[string]bool{}, map[string][]string{}}
	for i := range b.Products {
		k.products[b.Products[i].SKU] = true
	}
	for i := range b.Customers {
		c := &b.Customers[i]
		k.customers[c.Code] = true
		if name := plainName(c.Name); name != "" {
			k.named[name] = append(k.named[name], c.Code)
		}
	}
	for i := range b.Channels {
		k.channels[b.Channels[i].Code] = true
	}
	return k
}

// plainName is a name as it is compared: without case, and with single blanks.
func plainName(name string) string { return strings.ToLower(strings.Join(strings.Fields(name), " ")) }

// customer is the code of whom a cell names by code or by name; what nobody is called stays as it is. A name that
// several share is wrong.
func (k *known) customer(r *row) string {
	cell := r.cell("customer")
	if k.customers[cell] {
		return cell
	}
	switch codes := k.named[plainName(cell)]; len(codes) {
	case 0:
		return cell
	case 1:
		return codes[0]
	default:
		r.fail("customer", fmt.Sprintf("is the name of several customers: write the code, %s",
			strings.Join(codes[:min(3, len(codes))], " or ")))
		return cell
	}
}

// firstSale is before the oldest sale that a file can tell of; earlier dates are mistakes.
var firstSale = pricing.MomentOf(time.Date(1970, 1, 1, 0, 0, 0, 0, time.UTC))

// ReadSales reads a file of sales up to now. Goods and customers that the book no longer has may have been sold all the
// same.
func ReadSales(t *Table, mapping map[string]string, book *pricing.Book, now pricing.Moment) ([]Sale, []BadCell, error) {
	list, k := []Sale{}, knownIn(book)
	bad, err := t.each(SaleColumns, mapping, func(r *row) {
		one := Sale{Line: t.Lines[r.n], At: r.moment("at"), Customer: k.customer(r), SKU: r.cell("sku"),
			Channel: r.cell("channel")}
		if !r.failed && (one.At < firstSale || one.At > now+pricing.Day) {
			r.fail("at", "is no day on which something can have been sold: write one from 1970 up to today")
		}
		for _, key := range []string{"sku", "customer"} {
			if len([]rune(r.cell(key))) > 100 {
				r.fail(key, "must have at most 100 characters")
			}
		}
		n := r.number("quantity", "")
		if q, fits := n.Minor(0, money.Down); !r.failed && (!fits || q < 1 || q > 1_000_000 || !n.Equal(money.Int(q))) {
			r.fail("quantity", "is not a whole number from 1")
		} else {
			one.Quantity = int(q)
		}
		if r.cell("paid") != "" {
			paid := r.number("paid", "")
			one.Paid = &paid
		}
		if one.Channel != "" && !k.channels[one.Channel] {
			r.fail("channel", "is not a channel of the book")
		}
		if !r.failed {
			list = append(list, one)
		}
	})
	return list, bad, err
}

// ReadAgreed reads a file of agreed prices.
func ReadAgreed(t *Table, mapping map[string]string, book *pricing.Book) ([]Agreed, []BadCell, error) {
	list, k, seen := []Agreed{}, knownIn(book), map[[2]string]int{}
	bad, err := t.each(AgreedColumns, mapping, func(r *row) {
		one := Agreed{Line: t.Lines[r.n], Customer: k.customer(r), SKU: r.cell("sku"),
			Price: r.number("price", book.Settings.Currency)}
		if !r.failed && !k.customers[one.Customer] {
			r.fail("customer", "is not a customer of the book, neither by code nor by name")
		}
		if !k.products[one.SKU] {
			r.fail("sku", "is not a product of the book")
		}
		key := [2]string{one.Customer, one.SKU}
		if line, twice := seen[key]; twice {
			r.fail("sku", fmt.Sprintf("stands for this customer in line %d already", line))
		}
		seen[key] = one.Line
		if !r.failed {
			list = append(list, one)
		}
	})
	return list, bad, err
}

// ReadRates reads a file of exchange rates; those without a day are of today. Of several days of one currency the
// newest counts.
func ReadRates(t *Table, mapping map[string]string, today time.Time) ([]Rate, []BadCell, error) {
	newest := map[string]int{}
	list := []Rate{}
	bad, err := t.each(RateColumns, mapping, func(r *row) {
		one := Rate{Line: t.Lines[r.n], Currency: strings.ToUpper(r.cell("currency")), Rate: r.number("rate", ""), Day: today}
		if _, exists := money.Digits(one.Currency); !exists {
			r.fail("currency", "is not a currency of ISO 4217 such as GBP")
		}
		if !r.failed && one.Rate.Sign() == 0 {
			r.fail("rate", "must be above 0")
		}
		if r.cell("day") != "" {
			one.Day = time.Unix(int64(r.moment("day")), 0).UTC().Truncate(24 * time.Hour)
		}
		if r.failed {
			return
		}
		if i, twice := newest[one.Currency]; twice {
			if one.Day.After(list[i].Day) {
				list[i] = one
			}
			return
		}
		newest[one.Currency] = len(list)
		list = append(list, one)
	})
	return list, bad, err
}
