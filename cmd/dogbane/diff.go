package main

import (
	"cmp"
	"encoding/csv"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
)

// diffCommand tells what differs between two books: their pieces, and the prices that move, for each channel and group.
// Exit code 0: nothing; 1: something; 2: a file that cannot be read.
func diffCommand() *cobra.Command {
	var format, at string
	c := &cobra.Command{
		Use:   "diff BEFORE AFTER",
		Short: "Tell which pieces of two books differ, and which prices move; exit code 1 if anything does, 2 if a file cannot be read",
		Args:  cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			write := map[string]func(io.Writer, []book.Change, []movedPrice) error{"text": diffAsText, "csv": diffAsCSV}[format]
			if write == nil {
				return fmt.Errorf("--format: %q is neither text nor csv", format)
			}
			var books [2]*pricing.Book
			for i, file := range args {
				data, err := os.ReadFile(file)
				if err == nil {
					books[i], err = bookfile.Decode(data)
				}
				if err != nil {
					return unreadable{fmt.Errorf("%s: %w", file, err)}
				}
			}
			moment, err := momentOf(books[1], at)
			if err != nil {
				return unreadable{err}
			}
			changes := book.Differences(books[0], books[1])
			moved, err := movedPrices(books[0], books[1], moment)
			if err != nil {
				return err
			}
			if err := write(cmd.OutOrStdout(), changes, moved); err != nil {
				return fmt.Errorf("write the differences: %w", err)
			}
			if len(changes)+len(moved) > 0 {
				return exit(1)
			}
			return nil
		},
	}
	c.Flags().StringVar(&format, "format", "text", "text, or csv (the prices that move)")
	c.Flags().StringVar(&at, "at", "", "the moment at which prices are compared, as 2026-11-27T10:00; empty: now")
	return c
}

// momentOf reads a moment on a book's clock; empty: now, on the minute.
func momentOf(b *pricing.Book, text string) (pricing.Moment, error) {
	if text != "" {
		at, err := pricing.ParseMoment(text)
		if err != nil {
			return 0, fmt.Errorf("--at: %w", err)
		}
		return at, nil
	}
	zone, err := time.LoadLocation(b.Settings.TimeZone)
	if err != nil {
		return 0, fmt.Errorf("settings.timeZone: %w", err)
	}
	at := pricing.MomentOf(time.Now().In(zone))
	return at - at%pricing.Minute, nil
}

// movedPrice is a price that is another in the second book; empty: there is none.
type movedPrice struct{ Channel, Group, SKU, Currency, Was, Is string }

// movedPrices are those of one piece of all products of both books, in each channel that both have, and without one,
// for guests and each group that both have.
func movedPrices(before, after *pricing.Book, at pricing.Moment) (list []movedPrice, err error) {
	a, b := pricing.Compile(before), pricing.Compile(after)
	channels, groups := []string{""}, []string{""}
	for _, c := range after.Channels {
		if slices.ContainsFunc(before.Channels, func(o pricing.Channel) bool { return o.Code == c.Code }) {
			channels = append(channels, c.Code)
		}
	}
	for _, g := range after.Groups {
		if slices.ContainsFunc(before.Groups, func(o pricing.Group) bool { return o.Code == g.Code }) {
			groups = append(groups, g.Code)
		}
	}
	for _, channel := range channels {
		for _, group := range groups {
			vp := pricing.Viewpoint{At: at, Channel: channel}
			if group != "" {
				vp.Groups = []string{group}
			}
			was, err := a.Sweep(vp)
			if err != nil {
				return nil, err
			}
			is, err := b.Sweep(vp)
			if err != nil {
				return nil, err
			}
			list = append(list, movedFrom(a, b, was, is, channel, group)...)
		}
	}
	return list, nil
}

func movedFrom(a, b *pricing.Engine, was, is *pricing.Sweep, channel, group string) (list []movedPrice) {
	text := func(sw *pricing.Sweep, p int32, known bool) string {
		if !known {
			return ""
		}
		minor, priced := sw.Price(p)
		if !priced {
			return ""
		}
		return money.FormatMinor(minor, sw.Digits)
	}
	note := func(sku, before, after string) {
		if before != after || before != "" && was.Currency != is.Currency {
			list = append(list, movedPrice{channel, group, sku, is.Currency, before, after})
		}
	}
	for p, product := range b.Products() {
		old, had := a.ProductNumber(product.SKU)
		note(product.SKU, text(was, old, had), text(is, int32(p), true))
	}
	for p, product := range a.Products() {
		if _, still := b.ProductNumber(product.SKU); !still {
			note(product.SKU, text(was, int32(p), true), "")
		}
	}
	return list
}

func diffAsText(w io.Writer, changes []book.Change, moved []movedPrice) error {
	for _, c := range changes {
		what := "changed"
		switch {
		case c.Before == nil:
			what = "new"
		case c.After == nil:
			what = "gone"
		}
		var fields []string
		if what == "changed" {
			for _, f := range book.FieldChanges(c.Before, c.After) {
				fields = append(fields, fmt.Sprintf("%s %s → %s", f.Field, cmp.Or(f.Was, "none"), cmp.Or(f.Is, "none")))
			}
		}
		line := strings.TrimSpace(strings.Join([]string{what, c.Kind, c.Code}, " "))
		if len(fields) > 0 {
			line += ": " + strings.Join(fields, ", ")
		}
		if _, err := fmt.Fprintln(w, line); err != nil {
			return err
		}
	}
	for _, m := range moved {
		if _, err := fmt.Fprintf(w, "%s in %s for %s: %s → %s %s\n", m.SKU, cmp.Or(m.Channel, "no channel"),
			cmp.Or(m.Group, "guests"), cmp.Or(m.Was, "none"), cmp.Or(m.Is, "none"), m.Currency); err != nil {
			return err
		}
	}
	return nil
}

// diffAsCSV writes the prices that move; a cell that a spreadsheet would take for a formula is disarmed.
func diffAsCSV(w io.Writer, _ []book.Change, moved []movedPrice) error {
	out := csv.NewWriter(w)
	safe := func(cell string) string {
		if cell != "" && strings.ContainsAny(cell[:1], "=+-@\t\r") {
			return "'" + cell
		}
		return cell
	}
	if err := out.Write([]string{"channel", "group", "sku", "currency", "was", "is"}); err != nil {
		return err
	}
	for _, m := range moved {
		if err := out.Write([]string{m.Channel, m.Group, safe(m.SKU), m.Currency, m.Was, m.Is}); err != nil {
			return err
		}
	}
	out.Flush()
	return out.Error()
}
