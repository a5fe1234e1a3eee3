package intake

import (
	"errors"
	"sync"
	"time"

	"dogbane/internal/book"
)

// shelf keeps files that were read and wait for whoever brought them to say whether to import them.
type shelf struct {
	mu    sync.Mutex // guards files
	files map[string]*waitingFile
}

type waitingFile struct {
	name, kind, who string
	data            []byte
	at              time.Time

	mu      sync.Mutex // guards what follows
	table   *Table
	planned string // the mapping, the format and the book's version that the plan is of
	plan    *Plan
	preview Preview
}

const (
	filesKept   = 16 // of everybody
	filesOfOne  = 3  // of one person
	previewRows = 200

	// LargestFile is how many bytes a file may have.
	LargestFile = 64 << 20

	longestFileName = 200 // in characters; the rest is cut off
)

// put lays a file onto the shelf. A person's oldest makes room for it, or the oldest of all.
func (b *shelf) put(token string, file *waitingFile) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.files == nil {
		b.files = map[string]*waitingFile{}
	}
	drop := func(most int, of func(w *waitingFile) bool) {
		for {
			n, oldest := 0, ""
			for t, w := range b.files {
				if !of(w) {
					continue
				}
				if n++; oldest == "" || w.at.Before(b.files[oldest].at) {
					oldest = t
				}
			}
			if n < most {
				return
			}
			delete(b.files, oldest)
		}
	}
	drop(filesOfOne, func(w *waitingFile) bool { return w.who == file.who })
	drop(filesKept, func(*waitingFile) bool { return true })
	b.files[token] = file
}

// keepOnly lets go of the plans of all files but one: a plan of 100,000 rows is large, and quickly made again.
func (b *shelf) keepOnly(file *waitingFile) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, other := range b.files {
		if other != file && other.mu.TryLock() {
			other.plan, other.planned = nil, ""
			other.mu.Unlock()
		}
	}
}

func (b *shelf) forget(token string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	delete(b.files, token)
}

// read reads a file anew where its encoding, separator or header row is to be another.
func (w *waitingFile) read(as *Format) error {
	now := w.table.Format
	if as == nil {
		return nil
	}
	next := *as
	if next.Encoding == "" {
		next.Encoding = now.Encoding
	}
	if next.Separator == "" {
		next.Separator = now.Separator
	}
	if next.Encoding == now.Encoding && next.Separator == now.Separator && next.Header == now.Header {
		w.table.Format.Decimal, w.table.Format.Dates = next.Decimal, next.Dates
		return nil
	}
	table, err := Read(w.data, &next)
	var broken *FileError
	if errors.As(err, &broken) {
		return book.Invalid("format", "Read like this, the file makes no table: "+broken.Error())
	} else if err != nil {
		return err
	}
	w.table = table
	return nil
}

// find is a person's file; nil where it is no longer there, or another's.
func (b *shelf) find(token, who string) *waitingFile {
	b.mu.Lock()
	defer b.mu.Unlock()
	if file := b.files[token]; file != nil && file.who == who {
		return file
	}
	return nil
}

// clipped is a text cut to so many characters.
func clipped(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}
