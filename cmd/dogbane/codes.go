package main

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"time"

	"github.com/spf13/cobra"

	"dogbane/internal/codes"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

var codesHeader = []string{"rule", "code"}

// exportCodes writes the codes that are kept beside the book: a row for each, with its offer.
func exportCodes(ctx context.Context, s *store.Store, file string) (err error) {
	f, err := os.Create(file)
	if err != nil {
		return fmt.Errorf("write the codes: %w", err)
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	w := csv.NewWriter(f)
	if err := w.Write(codesHeader); err != nil {
		return fmt.Errorf("write the codes: %w", err)
	}
	counts, err := s.CodeCounts(ctx)
	if err != nil {
		return err
	}
	var rules []string
	for rule := range counts {
		rules = append(rules, rule)
	}
	slices.Sort(rules)
	for _, rule := range rules {
		for after := ""; ; {
			list, err := s.Codes(ctx, rule, "", after, false, 10_000)
			if err != nil {
				return err
			}
			if len(list) == 0 {
				break
			}
			for _, c := range list {
				if err := w.Write([]string{rule, c.Word}); err != nil {
					return fmt.Errorf("write the codes: %w", err)
				}
			}
			after = list[len(list)-1].Word
		}
	}
	w.Flush()
	return w.Error()
}

// readCodes reads what exportCodes wrote, for the offers of a book.
func readCodes(file string, book *pricing.Book) (map[string][]string, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, fmt.Errorf("read the codes: %w", err)
	}
	defer f.Close()
	listed := map[string]bool{}
	for i := range book.Rules {
		r := &book.Rules[i]
		listed[r.Code] = r.Offer != nil && r.Offer.Codes != nil && r.Offer.Codes.Listed
	}
	words := map[string][]string{}
	rows := csv.NewReader(f)
	for line := 1; ; line++ {
		row, err := rows.Read()
		switch {
		case errors.Is(err, io.EOF):
			return words, nil
		case err != nil:
			return nil, fmt.Errorf("read the codes: %w", err)
		case len(row) < 2:
			return nil, fmt.Errorf("%s, line %d: must hold a rule and a code", file, line)
		case line == 1 && row[0] == codesHeader[0]:
		case !listed[row[0]]:
			return nil, fmt.Errorf("%s, line %d: the book has no offer %q with codes beside it", file, line, row[0])
		case !codes.Form.MatchString(row[1]):
			return nil, fmt.Errorf("%s, line %d: %q must be 3 to 40 capital letters, digits and hyphens", file, line, row[1])
		default:
			words[row[0]] = append(words[row[0]], row[1])
		}
	}
}

// importCodes keeps codes beside the book; those that are there stay.
func importCodes(cmd *cobra.Command, s *store.Store, words map[string][]string) error {
	for rule, list := range words {
		added, err := s.AddCodes(cmd.Context(), rule, list, "dogbane import", time.Now().UTC())
		if err != nil {
			return err
		}
		fmt.Fprintf(cmd.OutOrStdout(), "%d codes added to %s\n", added, rule)
	}
	return nil
}
