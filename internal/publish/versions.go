package publish

import (
	"context"
	"fmt"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
	"dogbane/internal/pricing"
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
	d.mu.Lock()
	s := d.published[version]
	d.mu.Unlock()
	if s != nil {
		return s, nil
	}
	doc, err := d.keeper.KeptBook(ctx, version)
	if err != nil {
		return nil, err
	}
	b, err := bookfile.Decode(doc)
	if err != nil {
		return nil, fmt.Errorf("read version %d of the book: %w", version, err)
	}
	if s, err = book.NewSnapshot(b, version, pricing.Compile(b), nil); err != nil {
		return nil, err
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if len(d.published) >= mostPublished {
		clear(d.published)
	}
	d.published[version] = s
	return s, nil
}

// mostPublished bounds how many published versions are in memory.
const mostPublished = 8
