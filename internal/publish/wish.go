package publish

import (
	"errors"
	"strings"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/flags"
	"dogbane/internal/publish/pieces"
)

// Wish is what somebody wants to send.
type Wish struct {
	Who       string
	Version   int64             // of the differences that were looked at
	Overrides map[string]string // the reason for sending a blocked line, by SKU, or a blocked piece, by its name
	LeaveOut  []string          // SKUs that are left out from now on, and blocked pieces
	// LeaveOutBlocked leaves out all that is blocked and not overridden.
	LeaveOutBlocked bool
	Pieces          []pieces.Key // those that are brought; nil: all but those that are held back
	SKUs            []string     // the lines that are sent; nil: all that differ
	Without         []string     // SKUs that are not sent, where all others are
	Reached         bool         // of the lines those alone are sent that a brought piece reaches
	Loose           bool         // lines that no brought piece reaches are chosen, even where no piece is
	Whole           bool         // everything is told again
}

// nothing reports whether a wish chooses nothing: an empty choice is one of nothing.
func (w *Wish) nothing() bool {
	return w.Pieces != nil && len(w.Pieces) == 0 && !w.Loose || w.SKUs != nil && len(w.SKUs) == 0
}

// ErrNoChoice says that nothing is chosen.
var ErrNoChoice = errors.New("nothing is chosen")

// reached are the SKUs of differences that a brought piece reaches, of those that are chosen.
func (w *Wish) reached(to *target, e *Edition, snap *book.Snapshot, found *Differences) []string {
	skus := []string{}
	if e == nil {
		return skus
	}
	chosen := setOf(w.SKUs)
	reach := reachesAt(to.some, e.Engine, snap.Engine, &found.At)
	for i := range found.Rows {
		if sku := found.Rows[i].SKU; (w.SKUs == nil || chosen[sku]) && len(reach.of(sku)) > 0 {
			skus = append(skus, sku)
		}
	}
	return skus
}

// rows are what a wish sends of the differences, and what it leaves out; with ErrNothing where it sends nothing.
func (w *Wish) rows(d *Differences) ([]Row, error) {
	var undecided []string
	out, chosen, without := setOf(w.LeaveOut), setOf(w.SKUs), setOf(w.Without)
	kept := *d
	kept.Rows = nil
	var rows []Row
	goes := 0
	for i := range d.Rows {
		diff := d.Rows[i]
		row := Row{SKU: diff.SKU, Kind: diff.Kind, Was: diff.Was, Price: diff.Price, Reference: diff.Reference,
			Currency: d.Currency, Digest: diff.Digest, Begun: diff.Begun, Blocked: kindsOf(diff.Stops)}
		override := strings.TrimSpace(w.Overrides[diff.SKU])
		switch {
		case diff.Held:
			row.Answer = Held
		case diff.LeftOut && !w.Whole, out[diff.SKU]:
			row.Answer, row.Left = LeftOut, diff.left()
		case w.SKUs != nil && !chosen[diff.SKU], without[diff.SKU]:
			row.Answer = NotChosen
		case w.LeaveOutBlocked && diff.Blocked() && override == "":
			row.Answer, row.Left = LeftOut, diff.left()
		case diff.Blocked():
			if row.Override = override; override == "" {
				undecided = append(undecided, diff.SKU)
			}
		}
		if row.Goes() {
			goes++
		}
		if diff.Line != nil {
			line := *diff.Line
			diff.Line = &line
		}
		kept.Rows, rows = append(kept.Rows, diff), append(rows, row)
	}
	if undecided != nil {
		return nil, &Undecided{undecided}
	}
	if err := kept.untils(); err != nil {
		return nil, err
	}
	pricing.InParallel(len(rows), func(from, to int) {
		for i := from; i < to; i++ {
			if l := kept.Rows[i].Line; l != nil && rows[i].Goes() {
				rows[i].Line = l.Bytes()
			}
		}
	})
	if goes == 0 && d.Rules.None() {
		return rows, ErrNothing
	}
	return rows, nil
}

// kindsOf are the kinds of what stops.
func kindsOf(stops []Stop) (kinds []flags.Kind) {
	for i := range stops {
		kinds = append(kinds, stops[i].Kind)
	}
	return kinds
}

func setOf(list []string) map[string]bool {
	set := make(map[string]bool, len(list))
	for _, one := range list {
		set[one] = true
	}
	return set
}
