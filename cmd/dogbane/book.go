package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/demo"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
	"dogbane/internal/store/localdb"
)

// schemaCommand prints the JSON Schema of a book document.
func schemaCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "schema",
		Short: "Print the JSON Schema (2020-12) of a book document",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, err := cmd.OutOrStdout().Write(append(bookfile.Schema, '\n'))
			return err
		},
	}
}

// exportCommand writes the whole book as a document.
func exportCommand() *cobra.Command {
	var data, codesFile string
	cmd := &cobra.Command{
		Use:   "export",
		Short: "Write the whole book as a document (docs/book.md) to the standard output",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withStore(cmd.Context(), data, func(s *store.Store) error {
				book, _, _, err := s.Load(cmd.Context())
				if err != nil {
					return err
				}
				if _, err = cmd.OutOrStdout().Write(bookfile.Encode(book)); err != nil || codesFile == "" {
					return err
				}
				return exportCodes(cmd.Context(), s, codesFile)
			})
		},
	}
	cmd.Flags().StringVar(&codesFile, "codes", "", "a CSV file to write the codes to that are kept beside the book")
	cmd.Flags().StringVar(&data, "data", ".dogbane", "folder of the database, unless DOGBANE_DSN names one")
	return cmd
}

// importCommand puts the book of a document in the place of the one in the database.
func importCommand() *cobra.Command {
	var data, codesFile string
	cmd := &cobra.Command{
		Use:   "import FILE",
		Short: "Put the book of a document in the place of the one in the database; the log can take it back",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			doc, err := os.ReadFile(args[0])
			if err != nil {
				return err
			}
			next, err := bookfile.Decode(doc)
			if err != nil {
				return fmt.Errorf("%s is no valid book:\n%w", args[0], err)
			}
			var words map[string][]string
			if codesFile != "" {
				if words, err = readCodes(codesFile, next); err != nil {
					return err
				}
			}
			if err := os.MkdirAll(filepath.Join(data, "mariadb"), 0o700); err != nil { // a book may come before the first start
				return err
			}
			return withStore(cmd.Context(), data, func(s *store.Store) error {
				if err := importBook(cmd, s, next, filepath.Base(args[0])); err != nil {
					return err
				}
				return importCodes(cmd, s, words)
			})
		},
	}
	cmd.Flags().StringVar(&codesFile, "codes", "", "a CSV file of codes that are kept beside the book, as export writes it")
	cmd.Flags().StringVar(&data, "data", ".dogbane", "folder of the database, unless DOGBANE_DSN names one")
	return cmd
}

// importBook puts a book in the place of the one in the database.
func importBook(cmd *cobra.Command, s *store.Store, next *pricing.Book, name string) error {
	version, err := s.Version(cmd.Context())
	if err != nil {
		return err
	}
	if version == 0 {
		return s.Create(cmd.Context(), next, "dogbane import", time.Now())
	}
	live, err := book.OpenLive(cmd.Context(), s, nil)
	if err != nil {
		return err
	}
	changes := book.Differences(live.Current().Book, next)
	if len(changes) == 0 {
		fmt.Fprintln(cmd.OutOrStdout(), "the database holds this book already")
		return nil
	}
	if err := sayBroken(cmd, s, live.Current().Engine, next); err != nil {
		return err
	}
	// Whoever puts a whole book in place from here is not asked again.
	entry, err := live.Save(cmd.Context(), book.Edit{Who: "dogbane import", At: time.Now(),
		Summary: "Imported the book " + name, Changes: changes})
	if err != nil {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%d pieces changed; the book is at version %d\n", len(changes), entry.Version)
	return endDemo(cmd, s, next)
}

// sayBroken names the pinned prices that another book would break.
func sayBroken(cmd *cobra.Command, s *store.Store, before *pricing.Engine, next *pricing.Book) error {
	pinned, err := s.Pinned(cmd.Context())
	if err != nil || len(pinned) == 0 {
		return err
	}
	for _, r := range checks.Broken(pinned, before, pricing.Compile(next)) {
		fmt.Fprintf(cmd.ErrOrStderr(), "no longer holds: %s\n", r.Name)
	}
	return nil
}

// endDemo ends the demo where a book of one's own has taken its place.
func endDemo(cmd *cobra.Command, s *store.Store, book *pricing.Book) error {
	isDemo, err := s.Fact(cmd.Context(), "demo-now")
	if err != nil || isDemo == "" || demo.Is(book) {
		return err
	}
	if err := s.EndDemo(cmd.Context(), "", demo.Password); err != nil {
		return err
	}
	fmt.Fprintln(cmd.OutOrStdout(), "the demo has ended: its accounts, its clock and its channels are gone")
	return putAdministrator(cmd.Context(), s, cmd.OutOrStdout())
}

// withStore opens the database that DOGBANE_DSN names, or the private one of a folder: through the Dogbane that runs
// there, or by starting its server for as long as the work takes.
func withStore(ctx context.Context, data string, work func(*store.Store) error) error {
	dsn := os.Getenv("DOGBANE_DSN")
	if dsn == "" {
		dir := filepath.Join(data, "mariadb")
		if _, err := os.Stat(dir); err != nil {
			return fmt.Errorf("%s holds no database; ./run makes one", data)
		}
		db, err := localdb.Start(ctx, dir, localdb.Options{Durable: true})
		switch {
		case errors.Is(err, localdb.ErrInUse):
			if dsn, err = localdb.Join(dir, "dogbane"); err != nil {
				return err
			}
		case err != nil:
			return err
		default:
			defer db.Stop()
			dsn = db.DSN("dogbane")
		}
	}
	s, err := store.Open(ctx, dsn)
	if err != nil {
		return err
	}
	defer s.Close()
	return work(s)
}
