package sending

import (
	"context"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"dogbane/internal/publish"
	"dogbane/internal/publish/format"
	"dogbane/internal/publish/transport"
)

// overHTTP is how channels are reached that take prices over HTTP and say which they took.
type overHTTP struct{}

func (overHTTP) whole() bool                                               { return false }
func (overHTTP) answersLate() bool                                         { return false }
func (overHTTP) late(context.Context, *Sender, *publish.Link, int64) error { return nil }

func (overHTTP) Check(address string) (string, error) {
	if err := transport.CheckAddress(address); err != nil {
		return "", fmt.Errorf("the address %w", err)
	}
	return address, nil
}

func (w overHTTP) Try(ctx context.Context, l *publish.Link) error {
	_, _, err := w.Read(l).Shown(ctx, "")
	return err
}

func (overHTTP) Read(l *publish.Link) Reader {
	return &transport.HTTP{Address: l.Address, Token: l.Token}
}

func (overHTTP) send(ctx, holding context.Context, s *Sender, p *publish.Publication, l *publish.Link,
	_ *format.Message) error {
	return s.overHTTP(ctx, holding, p, l)
}

// overHTTP sends the parts of a publication one after the other until each has its answer, or nothing more comes.
func (s *Sender) overHTTP(ctx, holding context.Context, p *publish.Publication, link *publish.Link) error {
	channel := &transport.HTTP{Address: link.Address, Token: link.Token}
	pause := time.Duration(0) // after an attempt of which nobody knows what it did
	for {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if holding.Err() != nil {
			return context.Cause(holding)
		}
		parts, err := s.Keeper.Parts(holding, p.ID)
		if err != nil {
			return err
		}
		next, asks := nextPart(parts, s.Machine())
		if next == nil {
			return s.end(holding, p, "")
		}
		if asks > 0 {
			if !s.Wait(ctx, asks) {
				return ctx.Err()
			}
			continue
		}
		var r transport.Result
		if next.Review != "" {
			r = channel.Review(holding, next.Review)
		} else {
			if next.FirstTried == nil { // known before anything goes out
				now := s.Machine().UTC()
				next.FirstTried = &now
				if err := s.Keeper.KeepPart(holding, p.ID, s.Owner, *next); err != nil {
					return err
				}
			}
			body, err := s.Keeper.PartBytes(holding, p.ID, next.Number)
			if err != nil {
				return err
			}
			// The lease is asked for last, and what is late then is not sent: another may be sending a newer one by now.
			asked := s.Machine()
			if err := s.Keeper.Renew(holding, p.ID, s.Owner, s.Lease); err != nil {
				return err
			}
			r = channel.Put(holding, fmt.Sprintf("%d-%d", p.ID, next.Number), body,
				func() bool { return s.Machine().Sub(asked) > s.Lease/2 })
			if r.Outcome == transport.Late {
				continue
			}
		}
		if holding.Err() != nil && r.Outcome == transport.Unknown {
			return context.Cause(holding)
		}
		over, problem, err := s.digest(ctx, holding, p, link, next, r, &pause)
		if err != nil {
			return err
		}
		if over {
			return s.end(holding, p, problem)
		}
	}
}

// longestTold is how long a channel may say that it is to be asked again later, in all.
const longestTold = 24 * time.Hour

// upper begins a sentence.
func upper(text string) string {
	if text == "" {
		return text
	}
	return strings.ToUpper(text[:1]) + text[1:]
}

// nextPart is the part that is to be asked for next, and in how long: the first that has no answer, but those that the
// channel reviews do not keep the next from being sent. nil: all are answered.
func nextPart(parts []publish.Part, now time.Time) (next *publish.Part, in time.Duration) {
	for i := range parts {
		p := &parts[i]
		if p.Answered {
			continue
		}
		wait := time.Duration(0)
		if p.NotBefore != nil {
			wait = max(p.NotBefore.Sub(now), 0)
		}
		if next == nil || wait < in {
			next, in = p, wait
		}
		if p.Review == "" {
			break // later parts wait for it
		}
	}
	return next, in
}

// digest keeps what an answer says. over says that the publication has ended before all was answered.
func (s *Sender) digest(ctx, holding context.Context, p *publish.Publication, link *publish.Link,
	part *publish.Part, r transport.Result,
	pause *time.Duration) (over bool, problem string, err error) {
	now := s.Machine().UTC()
	wait := func(d time.Duration) {
		at := now.Add(d)
		part.NotBefore = &at
	}
	switch r.Outcome {
	case transport.Answered:
		*pause = 0
		return false, "", s.answered(holding, p, part.Number, r.Answers)
	case transport.Reviewing:
		*pause = 0
		if part.Review == "" {
			part.ReviewSince = &now
		} else if now.Sub(*part.ReviewSince) > longestReview {
			return false, "", s.answered(holding, p, part.Number, nil)
		}
		part.Review = r.Review
		wait(r.After)
		return false, "", s.Keeper.KeepPart(holding, p.ID, s.Owner, *part)
	case transport.Missing:
		return false, "", s.answered(holding, p, part.Number, nil)
	case transport.Later:
		if part.ToldToWait += r.After; part.ToldToWait > longestTold {
			return true, fmt.Sprintf("Given up: the channel has said \"later\" for %d hours. %s.",
				int(longestTold.Hours()), upper(r.Problem)), nil
		}
		wait(r.After)
		return false, "", s.Keeper.KeepPart(holding, p.ID, s.Owner, *part)
	case transport.Newer:
		if s.Newer != nil {
			s.Newer(p.Channel)
		}
		return true, "The channel has a newer publication than this one: " + r.Problem + ".", nil
	case transport.Wrong:
		if part.Review == "" {
			return true, r.Problem, nil
		}
	}
	// Nobody knows what it did.
	if part.Review != "" {
		if now.Sub(*part.ReviewSince) > longestReview {
			return false, "", s.answered(holding, p, part.Number, nil)
		}
	} else if part.FirstTried != nil && now.Sub(*part.FirstTried)-part.ToldToWait >= link.GiveUpAfter {
		return true, fmt.Sprintf("Given up after %s: %s.", link.GiveUpAfter, r.Problem), nil
	}
	*pause = min(max(*pause*2, firstPause), longestPause)
	slog.Warn("a channel did not answer a part; it is asked again", "publication", p.ID, "part", part.Number, "in", *pause,
		"problem", r.Problem)
	if !s.Wait(ctx, *pause) {
		return false, "", ctx.Err()
	}
	return false, "", nil
}
