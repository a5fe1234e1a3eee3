package sending

import (
	"context"

	"dogbane/internal/book"
	"dogbane/internal/publish"
	"dogbane/internal/publish/format"
)

// Way is how channels of one kind are reached. What a kind of channel needs to be one stands in its file; nothing else
// of the program asks of which kind a channel is.
type Way interface {
	// Check reports what is wrong with an address, as whoever wrote it is told; kept is how it is kept.
	Check(address string) (kept string, err error)
	// Try reports whether a channel would be reached so.
	Try(ctx context.Context, l *publish.Link) error
	// Read is what reads the prices that a channel shows; nil: they cannot be read.
	Read(l *publish.Link) Reader

	// whole reports whether all lines go in one part.
	whole() bool
	// send brings a publication to its end, or until ctx ends; holding ends where it is another's to send. last is its
	// last part where that was just fixed.
	send(ctx, holding context.Context, s *Sender, p *publish.Publication, l *publish.Link, last *format.Message) error
	// late keeps answers to a publication that has ended.
	late(ctx context.Context, s *Sender, l *publish.Link, id int64) error
	// answersLate reports whether there may be such answers.
	answersLate() bool
}

// Reader reads a page of the prices that a channel shows.
type Reader interface {
	Shown(ctx context.Context, after string) ([]format.ShownLine, string, error)
}

// ways are the kinds of channels.
var ways = map[string]Way{publish.HTTP: overHTTP{}, publish.Folder: throughFolder{}, publish.Feed: byFeed{}}

// WayOf is how a channel of a kind is reached. Its error is a *book.InvalidError.
func WayOf(kind string) (Way, error) {
	if w, is := ways[kind]; is {
		return w, nil
	}
	return nil, book.Invalid("kind",
		"A channel is reached by http, through a folder, or fetches a feed: http, folder or feed.")
}

// Check reports what is wrong with a link, and puts its address as it is kept. Its error is a *book.InvalidError.
func Check(l *publish.Link) error {
	w, err := WayOf(l.Kind)
	if err != nil {
		return err
	}
	kept, err := w.Check(l.Address)
	if err != nil {
		return book.Invalid("address", upper(err.Error())+".")
	}
	l.Address = kept
	return l.Check()
}

// Try reports whether a channel would be reached by a link.
func Try(ctx context.Context, l *publish.Link) error {
	w, err := WayOf(l.Kind)
	if err != nil {
		return err
	}
	return w.Try(ctx, l)
}

// readerOf is what reads the prices of a channel; nil: they cannot be read.
func readerOf(l *publish.Link) Reader {
	if w, is := ways[l.Kind]; is {
		return w.Read(l)
	}
	return nil
}
