package publish

import (
	"context"
	"fmt"
	"strconv"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
)

// Published is the version of the book that a channel was told last; nil: none is known.
func (d *Desk) Published(ctx context.Context, snap *book.Snapshot, channel string) (*book.Snapshot, error) {
	state, err := d.keeper.ChannelState(ctx, channel)
	if err != nil || state.Version == 0 {
		return nil, err
	}
	return d.version(ctx, snap, state.Version)
}

// version is one that was published, with its engine.
func (d *Desk) version(ctx context.Context, snap *book.Snapshot, version int64) (*book.Snapshot, error) {
	if version == snap.Version {
		return snap, nil
	}
	if s, known := d.published.Get(version); known {
		return s, nil
	}
	made, err, _ := d.reading.Do(strconv.FormatInt(version, 10), func() (any, error) {
		if s, known := d.published.Get(version); known { // since this one looked
			return s, nil
		}
		// Whoever asked first may go; the others wait for the same.
		doc, err := d.keeper.KeptBook(context.WithoutCancel(ctx), version)
		if err != nil {
			return nil, err
		}
		b, err := bookfile.Decode(doc)
		if err != nil {
			return nil, fmt.Errorf("read version %d of the book: %w", version, err)
		}
		b.Share(snap.Book)
		s, err := book.NewSnapshot(b, version, snap.Engine.Recompile(b), nil)
		if err == nil {
			d.published.Add(version, s)
		}
		return s, err
	})
	if err != nil {
		return nil, err
	}
	return made.(*book.Snapshot), nil
}

// mostPublished bounds how many published versions are in memory: those that were asked of last.
const mostPublished = 8
