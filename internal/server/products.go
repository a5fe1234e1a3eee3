package server

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/bookfile"
	"dogbane/internal/catalogue"
	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/store"
)

// importShelf keeps files that were read and wait for somebody to say whether to import them.
type importShelf struct {
	mu    sync.Mutex
	files map[string]*waitingFile
}

type waitingFile struct {
	name  string
	table *catalogue.Table
	at    time.Time
}

const (
	filesKept   = 8
	largestFile = 64 << 20
)

// ImportPreview is what importing a file would do.
type ImportPreview struct {
	Token     string                `json:"token" doc:"names the file until it is imported"`
	File      string                `json:"file"`
	Headers   []string              `json:"headers"`
	Fields    []ImportField         `json:"fields" doc:"what a column can fill"`
	Mapping   map[string]string     `json:"mapping" doc:"header by field"`
	Problem   string                `json:"problem,omitempty" doc:"why nothing can be compared yet"`
	Rows      int                   `json:"rows"`
	New       int                   `json:"new"`
	Changed   int                   `json:"changed"`
	Unchanged int                   `json:"unchanged"`
	BadCount  int                   `json:"badCount"`
	Bad       []catalogue.BadCell   `json:"bad" doc:"the first 200"`
	Changes   []catalogue.RowChange `json:"changes" doc:"the first 200"`
}

// ImportField is something that a column can fill.
type ImportField struct {
	Key      string `json:"key"`
	Name     string `json:"name"`
	Required bool   `json:"required"`
}

// ImportMapping says which column fills which field.
type ImportMapping struct {
	Mapping map[string]string `json:"mapping" doc:"header by field"`
}

// ProductEdit changes an amount of a product in place.
type ProductEdit struct {
	List *string `json:"list,omitempty" doc:"list price; an empty text takes it away"`
	Cost *string `json:"cost,omitempty" doc:"cost without tax; an empty text takes it away"`
	Was  *string `json:"was,omitempty" doc:"the value that was seen; if it is another by now, nothing is saved"`
}

const previewRows = 200

func (s *Server) registerProducts(api huma.API) {
	huma.Register(api, huma.Operation{Method: http.MethodPatch, Path: "/api/products/{sku}"}, func(ctx context.Context, in *struct {
		SKU  string `path:"sku"`
		Body ProductEdit
	}) (*body[Saved], error) {
		return answer(s.editProduct(ctx, in.SKU, in.Body.List, in.Body.Cost, in.Body.Was))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/imports", MaxBodyBytes: largestFile + 1<<20, BodyReadTimeout: time.Minute}, func(_ context.Context, in *struct {
		RawBody huma.MultipartFormFiles[struct {
			File huma.FormFile `form:"file" required:"true"`
		}]
	}) (*body[ImportPreview], error) {
		return answer(s.readImport(in.RawBody.Data().File))
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/imports/{token}/preview"}, func(_ context.Context, in *struct {
		Token string `path:"token"`
		Body  ImportMapping
	}) (*body[ImportPreview], error) {
		_, out, err := s.previewImport(in.Token, in.Body.Mapping)
		return answer(out, err)
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/imports/{token}/import"}, func(ctx context.Context, in *struct {
		Token string `path:"token"`
		Body  ImportMapping
	}) (*body[Saved], error) {
		return answer(s.doImport(ctx, in.Token, in.Body.Mapping))
	})
}

func findProduct(b *pricing.Book, sku string) *pricing.Product {
	i := slices.IndexFunc(b.Products, func(p pricing.Product) bool { return p.SKU == sku })
	if i < 0 {
		return nil
	}
	return &b.Products[i]
}

func (s *Server) editProduct(ctx context.Context, sku string, list, cost, was *string) (Saved, error) {
	snap := s.live.Current()
	before := findProduct(snap.Book, sku)
	if before == nil {
		return Saved{}, store.ErrNotFound
	}
	next := *before
	summary := ""
	for _, edit := range []struct {
		field, name string
		text        *string
		to          **money.Rat
	}{{"list", "list price", list, &next.List}, {"cost", "cost", cost, &next.Cost}} {
		if edit.text == nil {
			continue
		}
		old := ""
		if *edit.to != nil {
			old = bookfile.Amount(**edit.to)
		}
		if was != nil && *was != old {
			return Saved{}, &store.Conflict{Kind: store.Products, Code: sku, Now: bookfile.EncodeProduct(before)}
		}
		if *edit.text == "" {
			*edit.to = nil
		} else {
			amount, err := money.Parse(*edit.text)
			if err != nil {
				return Saved{}, invalid(edit.field, "Write an amount such as 19.99.")
			}
			if amount.Sign() < 0 {
				return Saved{}, invalid(edit.field, "An amount must not be negative.")
			}
			*edit.to = &amount
		}
		is := "none"
		if *edit.to != nil {
			is = bookfile.Amount(**edit.to)
		}
		if old == "" {
			old = "none"
		}
		summary = fmt.Sprintf("Changed the %s of %s from %s to %s", edit.name, sku, old, is)
	}
	if summary == "" {
		return Saved{}, invalid("list", "Name a list price or a cost.")
	}
	out, err := s.commit(ctx, summary, []store.Change{{Kind: store.Products, Code: sku, Before: bookfile.EncodeProduct(before), After: bookfile.EncodeProduct(&next)}})
	return unwrap(out, err)
}

func (s *Server) readImport(f huma.FormFile) (ImportPreview, error) {
	data, err := io.ReadAll(io.LimitReader(f, largestFile+1))
	if err != nil {
		return ImportPreview{}, fmt.Errorf("read the uploaded file: %w", err)
	}
	if len(data) > largestFile {
		return ImportPreview{}, invalid("file", "The file is larger than 64 MB. Split it.")
	}
	table, err := catalogue.ReadCSV(data)
	var broken *catalogue.FileError
	if errors.As(err, &broken) {
		return ImportPreview{}, invalid("file", fmt.Sprintf("%s cannot be read: %s", f.Filename, broken))
	} else if err != nil {
		return ImportPreview{}, err
	}
	return s.shelve(f.Filename, table)
}

// readPaste reads cells copied from a spreadsheet: with a header, or as SKU, list price and cost.
func (s *Server) readPaste(text string) (ImportPreview, error) {
	first, _, _ := strings.Cut(strings.TrimLeft(text, "\r\n"), "\n")
	cells := strings.Split(strings.TrimRight(first, "\r"), "\t")
	if _, headed := catalogue.Match(cells)["sku"]; !headed {
		text = strings.Join([]string{"SKU", "List price", "Cost"}[:min(3, max(2, len(cells)))], "\t") + "\n" + text
	}
	table, err := catalogue.ReadCSV([]byte(text))
	var broken *catalogue.FileError
	if errors.As(err, &broken) {
		return ImportPreview{}, invalid("text", "What was pasted cannot be read: "+broken.Error())
	} else if err != nil {
		return ImportPreview{}, err
	}
	return s.shelve("pasted cells", table)
}

// shelve keeps a table until somebody says whether to import it, and previews it.
func (s *Server) shelve(name string, table *catalogue.Table) (ImportPreview, error) {
	token := rand.Text()
	shelf := &s.imports
	shelf.mu.Lock()
	if shelf.files == nil {
		shelf.files = map[string]*waitingFile{}
	}
	for len(shelf.files) >= filesKept {
		oldest := ""
		for t, w := range shelf.files {
			if oldest == "" || w.at.Before(shelf.files[oldest].at) {
				oldest = t
			}
		}
		delete(shelf.files, oldest)
	}
	shelf.files[token] = &waitingFile{name, table, time.Now()}
	shelf.mu.Unlock()
	_, out, err := s.previewImport(token, catalogue.Match(table.Headers))
	return out, err
}

func (s *Server) previewImport(token string, mapping map[string]string) (*catalogue.Preview, ImportPreview, error) {
	s.imports.mu.Lock()
	file := s.imports.files[token]
	s.imports.mu.Unlock()
	if file == nil {
		return nil, ImportPreview{}, huma.Error410Gone("This file is no longer at hand. Choose it again.")
	}
	out := ImportPreview{Token: token, File: file.name, Headers: file.table.Headers, Mapping: mapping, Rows: len(file.table.Rows), Bad: []catalogue.BadCell{}, Changes: []catalogue.RowChange{}, Fields: []ImportField{}}
	for _, f := range catalogue.Fields {
		out.Fields = append(out.Fields, ImportField{f.Key, f.Name, f.Key == "sku"})
	}
	p, err := catalogue.Compare(file.table, mapping, s.live.Current().Book)
	if errors.Is(err, catalogue.ErrNoSKU) {
		out.Problem = "No column holds the SKU. Say below which one does."
		return nil, out, nil
	} else if err != nil {
		return nil, out, invalid("mapping", err.Error())
	}
	out.New, out.Unchanged, out.BadCount = p.New(), p.Unchanged, len(p.Bad)
	out.Changed = len(p.Changes) - out.New
	out.Bad = append(out.Bad, p.Bad[:min(len(p.Bad), previewRows)]...)
	out.Changes = append(out.Changes, p.Changes[:min(len(p.Changes), previewRows)]...)
	return p, out, nil
}

// doImport imports a file: all of it or, with one bad row, nothing.
func (s *Server) doImport(ctx context.Context, token string, mapping map[string]string) (Saved, error) {
	p, out, err := s.previewImport(token, mapping)
	switch {
	case err != nil:
		return Saved{}, err
	case p == nil:
		return Saved{}, invalid("mapping", out.Problem)
	case len(p.Bad) > 0:
		return Saved{}, invalid("file", fmt.Sprintf("%d rows cannot be imported as they are; nothing was imported.", len(p.Bad)))
	case len(p.Changes) == 0:
		return Saved{}, huma.Error409Conflict("The file changes nothing.")
	}
	var changes []store.Change
	for i := range p.Changes {
		c := &p.Changes[i]
		change := store.Change{Kind: store.Products, Code: c.SKU, After: bookfile.EncodeProduct(&c.After)}
		if c.Before != nil {
			change.Before = bookfile.EncodeProduct(c.Before)
		}
		changes = append(changes, change)
	}
	saved, err := s.commit(ctx, fmt.Sprintf("Imported %s: %d new, %d changed products", out.File, out.New, out.Changed), changes)
	if err == nil {
		s.imports.mu.Lock()
		delete(s.imports.files, token)
		s.imports.mu.Unlock()
	}
	return unwrap(saved, err)
}
