package publish

import (
	"context"
	"errors"
	"slices"

	"dogbane/internal/book"
	"dogbane/internal/pricing"
	"dogbane/internal/publish/pieces"
)

// Rollout is what bringing some pieces of the saved book changes in one channel, and what became of it once it is sent.
type Rollout struct {
	Channel     *pricing.Channel
	Pieces      []Pending    // those that were asked for and differ there, and what they need
	Lines       int          // prices that go now: not blocked, left out or held
	Digits      int          // of the channel's currency
	Blocked     int          // further prices, which are left out
	Stopped     []pieces.Key // blocked offers, which are left out
	Publication *Publication
	Err         error // why it is not told
}

// Rollouts are what pieces change in each linked channel that they concern and where they are not published.
func (d *Desk) Rollouts(ctx context.Context, snap *book.Snapshot, keys []pieces.Key) ([]Rollout, error) {
	wanted := make(map[pieces.Key]bool, len(keys))
	for _, k := range keys {
		wanted[k] = true
	}
	var list []Rollout
	err := d.linkedChannels(ctx, snap, func(c *pricing.Channel, e *Edition) error {
		if e == nil {
			if slices.ContainsFunc(keys, func(k pieces.Key) bool { return concerns(snap, k, c.Code) }) {
				list = append(list, Rollout{Channel: c, Err: ErrFirst})
			}
			return nil
		}
		choice := Choice{}
		for _, p := range e.concerning(snap, c.Code) {
			if wanted[p.Key] {
				choice.Keys = append(choice.Keys, p.Key)
			}
		}
		if len(choice.Keys) == 0 {
			return nil
		}
		one, err := d.rollout(ctx, snap, c, choice)
		list = append(list, one)
		return err
	})
	return list, err
}

// linkedChannels visits the channels that are linked with what is published in each; nil: nothing is.
func (d *Desk) linkedChannels(ctx context.Context, snap *book.Snapshot,
	visit func(c *pricing.Channel, e *Edition) error) error {
	links, err := d.keeper.Links(ctx)
	if err != nil {
		return err
	}
	for i := range snap.Book.Channels {
		c := &snap.Book.Channels[i]
		if _, linked := links[c.Code]; !linked {
			continue
		}
		e, err := d.Published(ctx, snap, c.Code)
		if err != nil {
			return err
		}
		if err := visit(c, e); err != nil {
			return err
		}
	}
	return nil
}

// concerning are the pieces that differ and that are for a channel, as published or as saved.
func (e *Edition) concerning(snap *book.Snapshot, channel string) (list []pieces.Piece) {
	for _, p := range e.Pieces {
		if concerns(snap, p.Key, channel) || concerns(e.Snapshot, p.Key, channel) {
			list = append(list, p)
		}
	}
	return list
}

// rollout is what a choice changes in a channel. A choice that cannot be made is its Err.
func (d *Desk) rollout(ctx context.Context, snap *book.Snapshot, c *pricing.Channel, choice Choice) (Rollout, error) {
	out := Rollout{Channel: c}
	found, err := d.Pending(ctx, snap, c.Code, choice)
	var whole *ErrWholeOnly
	var dangling *pieces.Dangling
	if errors.As(err, &whole) || errors.As(err, &dangling) {
		out.Err = err
		return out, nil
	}
	if err != nil {
		return out, err
	}
	out.Digits = found.Digits
	for _, p := range found.All {
		if p.Chosen {
			out.Pieces = append(out.Pieces, p)
			if len(p.Blocked) > 0 {
				out.Stopped = append(out.Stopped, p.Key)
			}
		}
	}
	for i := range found.Rows {
		r := &found.Rows[i]
		switch {
		case !slices.ContainsFunc(found.Of[i], func(place int) bool { return found.All[place].Chosen }):
		case r.Held, r.LeftOut:
		case r.Blocked():
			out.Blocked++
		default:
			out.Lines++
		}
	}
	return out, nil
}

// Behind are the linked channels in which pieces of the saved book are not published as they are saved, by piece.
func (d *Desk) Behind(ctx context.Context, snap *book.Snapshot) (map[pieces.Key][]*pricing.Channel, error) {
	behind := map[pieces.Key][]*pricing.Channel{}
	err := d.linkedChannels(ctx, snap, func(c *pricing.Channel, e *Edition) error {
		if e != nil {
			for _, p := range e.concerning(snap, c.Code) {
				behind[p.Key] = append(behind[p.Key], c)
			}
		}
		return nil
	})
	return behind, err
}

// RollOut has the channels among some (nil: all) that pieces concern told what these change there, and nothing else.
// What is blocked is left out, and what their channel wants a second person for waits for one.
func (d *Desk) RollOut(ctx context.Context, snap *book.Snapshot, keys []pieces.Key, channels []string,
	who, note string) ([]Rollout, error) {
	list, err := d.Rollouts(ctx, snap, keys)
	if err != nil {
		return nil, err
	}
	list = slices.DeleteFunc(list, func(r Rollout) bool { return !isFor(channels, r.Channel.Code) })
	for i := range list {
		r := &list[i]
		if r.Err != nil {
			continue
		}
		wish := Wish{Who: who, Version: snap.Version, Reached: true, LeaveOutBlocked: true}
		for _, p := range r.Pieces {
			wish.Pieces = append(wish.Pieces, p.Key)
		}
		r.Publication, r.Err = d.sendAtOnce(ctx, snap, r.Channel.Code, wish, note)
	}
	return list, nil
}

// sendAtOnce prepares a publication and sends it; one that cannot be sent is dropped.
func (d *Desk) sendAtOnce(ctx context.Context, snap *book.Snapshot, channel string, wish Wish,
	note string) (*Publication, error) {
	p, err := d.Prepare(ctx, snap, channel, wish)
	if err != nil {
		return nil, err
	}
	sent, err := d.Send(ctx, snap, p.ID, wish.Who, note)
	if err != nil {
		return nil, errors.Join(err, d.Drop(ctx, p.ID, wish.Who))
	}
	return &sent, nil
}

func isFor(channels []string, channel string) bool {
	return channels == nil || slices.Contains(channels, channel)
}

// concerns reports whether a piece of a book is for a channel; one that the book does not have is for none.
func concerns(snap *book.Snapshot, k pieces.Key, channel string) bool {
	switch k.Kind {
	case book.Rules:
		r := snap.Rule(k.Code)
		return r != nil && isFor(r.Channels, channel)
	case book.Campaigns:
		return slices.ContainsFunc(snap.Book.Campaigns, func(c pricing.Campaign) bool {
			return c.Code == k.Code && isFor(c.Channels, channel)
		})
	}
	return true
}
