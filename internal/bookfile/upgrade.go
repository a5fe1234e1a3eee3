package bookfile

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
)

// FormatNumber is the number of the format that this program writes; it reads every one from 1 on.
const FormatNumber = 1

// Format is the value of a document's "book" key.
const Format = formatName + "1"

const formatName = "dogbane/"

// step brings a piece, or with the list "" the top of a document, from one format to the next.
type step func(list string, piece map[string]json.RawMessage) error

// steps are the chain of upgrades: the one at n leads from format n+1 to n+2.
var steps []step

// formatOf is the number of a document's format; 0 where the text names none.
func formatOf(text string) int {
	number, named := strings.CutPrefix(text, formatName)
	n, err := strconv.Atoi(number)
	if !named || err != nil || n < 1 || strconv.Itoa(n) != number {
		return 0
	}
	return n
}

// Upgrade is a piece as today's format has it. list is the key of the document that the piece stands under, from the
// number of the format that it was written in.
func Upgrade(from int, list string, doc []byte) ([]byte, error) {
	if from < 1 || from > 1+len(steps) {
		return nil, fmt.Errorf("there is no way from format %d of a book to %d", from, 1+len(steps))
	}
	if from == 1+len(steps) {
		return doc, nil
	}
	var piece map[string]json.RawMessage
	if err := json.Unmarshal(doc, &piece); err != nil {
		return nil, fmt.Errorf("upgrade a piece of %s: %w", list, err)
	}
	for n, to := range steps[from-1:] {
		if err := to(list, piece); err != nil {
			return nil, fmt.Errorf("upgrade a piece of %s to format %d: %w", list, from+n+1, err)
		}
	}
	upgraded, err := json.Marshal(piece)
	if err != nil {
		return nil, fmt.Errorf("upgrade a piece of %s: %w", list, err)
	}
	return upgraded, nil
}

// upgraded is a whole document as today's format has it. One that is no document, or already of today's format, comes
// back as it is: its errors are the reader's to find.
func upgraded(data []byte) ([]byte, error) {
	var head struct{ Book string }
	if err := json.Unmarshal(data, &head); err != nil {
		return data, nil
	}
	from := formatOf(head.Book)
	if from == 0 || from >= 1+len(steps) {
		return data, nil
	}
	var doc map[string]json.RawMessage
	if err := json.Unmarshal(data, &doc); err != nil {
		return data, nil
	}
	for key, value := range doc {
		var list []json.RawMessage
		if key == "settings" {
			list = []json.RawMessage{value}
		} else if json.Unmarshal(value, &list) != nil {
			continue
		}
		for i := range list {
			piece, err := Upgrade(from, key, list[i])
			if err != nil {
				return nil, err
			}
			list[i] = piece
		}
		if key == "settings" {
			doc[key] = list[0]
			continue
		}
		whole, err := json.Marshal(list)
		if err != nil {
			return nil, fmt.Errorf("upgrade %s: %w", key, err)
		}
		doc[key] = whole
	}
	doc["book"] = json.RawMessage(strconv.Quote(formatName + strconv.Itoa(1+len(steps))))
	return json.Marshal(doc)
}
