package clock

import (
	"context"
	"log/slog"
	"sync/atomic"
	"time"
)

// Shared is a clock that several machines have in common, such as a database's, as far as this machine's clock is off.
type Shared struct {
	Machine Clock
	off     atomic.Int64 // how far the shared clock is ahead of the machine's
}

const (
	askedEvery  = 10 * time.Second
	tellsBeyond = time.Second
)

// Off is how far the shared clock was ahead of the machine's when it was asked last.
func (s *Shared) Off() time.Duration { return time.Duration(s.off.Load()) }

// Ask asks the shared clock. What it says is taken for the middle of the time that asking took; an answer that took
// long says too little, and the one before stands.
func (s *Shared) Ask(ctx context.Context, now func(context.Context) (time.Time, error)) error {
	begun := s.Machine()
	there, err := now(ctx)
	took := s.Machine().Sub(begun)
	if err != nil || took > tellsBeyond {
		return err
	}
	before := s.Off()
	off := there.Sub(begun.Add(took / 2))
	if off.Abs() > tellsBeyond && before.Abs() <= tellsBeyond {
		slog.Warn("this machine's clock is off the database's; what is due goes by the database's", "by", -off)
	}
	s.off.Store(int64(off))
	return nil
}

// Run asks the shared clock again and again until ctx ends.
func (s *Shared) Run(ctx context.Context, now func(context.Context) (time.Time, error)) {
	for {
		if err := s.Ask(ctx, now); err != nil && ctx.Err() == nil {
			slog.Debug("cannot ask the database's clock", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(askedEvery):
		}
	}
}
