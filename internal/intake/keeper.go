package intake

import (
	"context"
	"encoding/json"
	"time"

	"dogbane/internal/pricing"
)

// SoldLine is one line of a sale as it is kept.
type SoldLine struct {
	Moment   pricing.Moment
	Customer string // empty: a guest
	SKU      string
	Quantity int
	Paid     string // decimal, for all pieces; empty: unknown
	Channel  string
}

// SalesFile is a file of sales that was brought in.
type SalesFile struct {
	ID   int64
	Name string
	Who  string
	At   time.Time
	// Entry of the log that counted the file's units sold into the book, if one did; undoing that takes the file back.
	Entry *int64
	Rows  int // counted, not kept
}

// Matched is how a file was brought in: the header for each field, and how the file is written.
type Matched struct {
	Mapping map[string]string `json:"mapping"`
	Format  json.RawMessage   `json:"format,omitempty"`
}

// RateDay says which day an exchange rate is of.
type RateDay struct {
	ID       int64
	Currency string
	Rate     string
	Day      time.Time
}

// Keeper keeps what files bring that is no part of the book, and how their columns were matched.
type Keeper interface {
	// Mapping is how the columns of a file with these headers were matched last; nil where there was none.
	Mapping(ctx context.Context, kind string, headers []string) (*Matched, error)
	KeepMapping(ctx context.Context, kind string, headers []string, m Matched) error
	// KnownSales are those kept already from a moment to another, both included.
	KnownSales(ctx context.Context, from, to pricing.Moment) (map[SoldLine]bool, error)
	// SoldUnits are the pieces sold in [from, to) of each product that was ever sold.
	SoldUnits(ctx context.Context, from, to pricing.Moment) (map[string]int64, error)
	// AddSales keeps a file's lines, all or none, gives the file its ID and tells how many are written.
	AddSales(ctx context.Context, file *SalesFile, lines []SoldLine, written func(int)) error
	DropSales(ctx context.Context, file int64) error
	SetSalesEntry(ctx context.Context, file, entry int64) error
	KeepRateDays(ctx context.Context, days []RateDay) error
}
