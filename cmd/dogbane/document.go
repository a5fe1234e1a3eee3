package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"

	"dogbane/internal/bookfile"
)

// readQuestions reads a file of questions or expectations with the book that it holds, or that lies in a file of its
// own which it names beside it: "book": "../book.json".
func readQuestions(name string) ([]byte, error) {
	data, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	var whole map[string]json.RawMessage
	var beside string
	if json.Unmarshal(data, &whole) != nil || json.Unmarshal(whole["book"], &beside) != nil || beside == bookfile.Format {
		return data, nil // what is wrong with it is said where it is read
	}
	if !filepath.IsAbs(beside) {
		beside = filepath.Join(filepath.Dir(name), filepath.FromSlash(beside))
	}
	if whole["book"], err = os.ReadFile(beside); err != nil {
		return nil, fmt.Errorf("book: %w", err)
	}
	if !json.Valid(whole["book"]) {
		return nil, fmt.Errorf("book: %s is not JSON", beside)
	}
	return json.Marshal(whole)
}

// lines are the numbers of the lines on which a document names products and other pieces: of each the first.
type lines map[string]map[string]int

// linesOf reads them off a document, once for however many are asked for.
func linesOf(data []byte) lines {
	found := lines{`"sku"`: {}, `"code"`: {}}
	number := 0
	for line := range bytes.Lines(data) {
		number++
		for key, codes := range found {
			for rest := line; ; {
				at := bytes.Index(rest, []byte(key))
				if at < 0 {
					break
				}
				rest = bytes.TrimLeft(rest[at+len(key):], " \t")
				value, is := bytes.CutPrefix(rest, []byte(":"))
				var text string
				if !is || json.NewDecoder(bytes.NewReader(value)).Decode(&text) != nil {
					continue
				}
				if _, known := codes[text]; !known {
					codes[text] = number
				}
			}
		}
	}
	return found
}

// of is the line on which the document names what a flag is about; 1 where it is not found.
func (l lines) of(f *bookfile.FlagAnswer) int {
	key, code := `"code"`, f.Rule
	if code == "" && len(f.Rules) > 0 {
		code = f.Rules[0]
	}
	if f.SKU != "" {
		key, code = `"sku"`, f.SKU
	}
	if line, known := l[key][code]; known && code != "" {
		return line
	}
	return 1
}
