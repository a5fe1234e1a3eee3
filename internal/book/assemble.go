package book

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"strconv"

	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
)

// Refused is a stored piece that this version of the program cannot read. It takes no part until it is written anew.
type Refused struct{ Kind, Code, Problem string }

// Stored is a piece as it is kept, a product's with its measures.
type Stored struct {
	Code string
	Doc  []byte
}

var piecePath = regexp.MustCompile(`^([a-z]+)\[(\d+)\]`)

// Assemble is the book of those pieces that can be read. What refers to one that cannot goes with it.
func Assemble(settings string, byKind map[string][]Stored) (*pricing.Book, []Refused, error) {
	var refused []Refused
	for {
		docs := map[string][][]byte{}
		for kind, list := range byKind {
			for _, one := range list {
				docs[kind] = append(docs[kind], one.Doc)
			}
		}
		book, err := bookfile.Decode(document(settings, docs))
		var errs bookfile.Errors
		if err == nil || !errors.As(err, &errs) {
			return book, refused, err
		}
		gone := map[string]map[int]bool{}
		for _, e := range errs {
			at := piecePath.FindStringSubmatch(e.Path)
			if at == nil || byKind[at[1]] == nil {
				return nil, nil, err
			}
			i, _ := strconv.Atoi(at[2])
			if gone[at[1]] == nil {
				gone[at[1]] = map[int]bool{}
			}
			if !gone[at[1]][i] {
				refused = append(refused, Refused{at[1], byKind[at[1]][i].Code, e.Error()})
			}
			gone[at[1]][i] = true
		}
		for kind, which := range gone {
			var rest []Stored
			for i, one := range byKind[kind] {
				if !which[i] {
					rest = append(rest, one)
				}
			}
			byKind[kind] = rest
		}
	}
}

// document puts the pieces of a book together.
func document(settings string, byKind map[string][][]byte) []byte {
	var doc bytes.Buffer
	fmt.Fprintf(&doc, `{"book":%q,"settings":%s`, bookfile.Format, settings)
	for _, kind := range kindsInOrder {
		if len(byKind[kind]) == 0 {
			continue
		}
		fmt.Fprintf(&doc, `,%q:[`, kind)
		for i, piece := range byKind[kind] {
			if i > 0 {
				doc.WriteByte(',')
			}
			doc.Write(piece)
		}
		doc.WriteByte(']')
	}
	doc.WriteByte('}')
	return doc.Bytes()
}
