package format

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
)

// Writer writes a feed: its lines, then its end.
type Writer interface {
	Write(lines ...json.RawMessage) error
	End() error
	Close() // lets go of what it holds, ended or not
}

// light is a writer that holds nothing but memory.
type light struct{}

func (light) Close() {}

// About is what a feed says of itself.
type About struct {
	Title string // the channel's name
	Link  string // where the feed is fetched, without a key
}

// Form is a form in which a channel's lines are fetched.
type Form struct {
	Ending string // of its address
	Type   string // its media type
	Begin  func(to io.Writer, about About) (Writer, error)
}

// Forms are all of them.
var Forms = []Form{
	{".csv", "text/csv; charset=utf-8; header=present", func(to io.Writer, _ About) (Writer, error) { return NewFeed(to) }},
	{".jsonl", "application/x-ndjson", func(to io.Writer, _ About) (Writer, error) { return jsonLines{to: bufio.NewWriter(to)}, nil }},
	{".jsonld", "application/ld+json", newLinked},
	{".xml", "application/rss+xml", newRSS},
	{".xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", newSheet},
}

// jsonLines are lines as they travel, one a row.
type jsonLines struct {
	light
	to *bufio.Writer
}

func (f jsonLines) Write(lines ...json.RawMessage) error {
	for _, line := range lines {
		if _, err := f.to.Write(line); err != nil {
			return fmt.Errorf("write the feed: %w", err)
		}
		if err := f.to.WriteByte('\n'); err != nil {
			return fmt.Errorf("write the feed: %w", err)
		}
	}
	return nil
}

func (f jsonLines) End() error { return f.to.Flush() }

// each writes lines one after the other.
func each(lines []json.RawMessage, write func(line json.RawMessage) error) error {
	for _, line := range lines {
		if err := write(line); err != nil {
			return err
		}
	}
	return nil
}

// feedLine is what the feeds that are no tables say of a line.
type feedLine struct {
	csvLine
	Tax     string
	PerUnit *struct{ Price, Of string }
	Order   *struct{ Min, Multiple int }
	Message string
	Image   string
}

func readLine(data json.RawMessage) (l feedLine, err error) {
	if err = json.Unmarshal(data, &l); err != nil {
		err = fmt.Errorf("write the feed: %w", err)
	}
	return l, err
}
