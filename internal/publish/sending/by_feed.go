package sending

import (
	"context"

	"dogbane/internal/publish"
	"dogbane/internal/publish/format"
)

// byFeed is how channels are reached that fetch a feed: nothing is sent to them, and a publication is published the
// moment it is sent.
type byFeed struct{}

func (byFeed) Check(string) (string, error)                              { return "", nil }
func (byFeed) Try(context.Context, *publish.Link) error                  { return nil }
func (byFeed) Read(*publish.Link) Reader                                 { return nil }
func (byFeed) whole() bool                                               { return false }
func (byFeed) answersLate() bool                                         { return false }
func (byFeed) late(context.Context, *Sender, *publish.Link, int64) error { return nil }

func (byFeed) send(_, holding context.Context, s *Sender, p *publish.Publication, _ *publish.Link,
	_ *format.Message) error {
	for n := 1; n <= p.Parts; n++ {
		if err := s.takenWhole(holding, p, n); err != nil {
			return err
		}
	}
	return s.end(holding, p, "")
}
