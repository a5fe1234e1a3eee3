package sending

import (
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"time"

	"dogbane/internal/publish"
	"dogbane/internal/publish/format"
	"dogbane/internal/publish/transport"
)

// throughFolder lays a publication down and waits for its answer file. m is its only part where that was just fixed;
// nil: it is read.
func (s *Sender) throughFolder(ctx, holding context.Context, p *publish.Publication, link *publish.Link, m *format.Message) error {
	folder := &transport.Folder{Path: link.Address}
	for pause := firstPause; ; {
		parts, err := s.Keeper.Parts(holding, p.ID)
		if err != nil {
			return err
		}
		part := parts[0]
		if part.Answered {
			return s.end(holding, p, "")
		}
		now := s.Machine().UTC()
		var problem error
		if part.NotBefore == nil { // it is not known to lie there
			problem, err = s.layDown(holding, folder, p, &part, m, now)
		} else {
			m = nil
			var answers map[string]format.Answer
			if answers, problem = folder.Answers(p.ID); answers != nil {
				if err := s.answered(holding, p, 1, answers); err != nil {
					return err
				}
				continue
			}
		}
		if err != nil {
			return err
		}
		if problem == nil {
			pause = firstPause
		}
		if now.Sub(*part.FirstTried) >= link.GiveUpAfter {
			text := fmt.Sprintf("The channel laid no answer down within %s.", link.GiveUpAfter)
			if problem != nil {
				text = fmt.Sprintf("Given up after %s: %s.", link.GiveUpAfter, problem)
			}
			return s.end(holding, p, text)
		}
		wait := 200 * time.Millisecond
		if problem != nil {
			slog.Warn("a channel's folder cannot be used; it is tried again", "publication", p.ID, "error", problem)
			wait, pause = pause, min(2*pause, longestPause)
		}
		if !s.Wait(ctx, wait) {
			return ctx.Err()
		}
		if holding.Err() != nil {
			return context.Cause(holding)
		}
	}
}

// layDown lays a publication down. What answers to its number before that is of another program's life; problem says
// why the folder cannot be used.
func (s *Sender) layDown(ctx context.Context, folder *transport.Folder, p *publish.Publication, part *publish.Part, m *format.Message,
	now time.Time) (problem, err error) {
	if part.FirstTried == nil {
		if problem := folder.Forget(p.ID); problem != nil {
			slog.Warn("an older answer cannot be taken away", "publication", p.ID, "error", problem)
		}
		part.FirstTried = &now
		if err := s.Keeper.KeepPart(ctx, p.ID, s.Owner, *part); err != nil {
			return nil, err
		}
	}
	if problem := s.lay(ctx, folder, p, m); problem != nil {
		return problem, nil
	}
	part.NotBefore = &now
	return nil, s.Keeper.KeepPart(ctx, p.ID, s.Owner, *part)
}

func (s *Sender) lay(ctx context.Context, folder *transport.Folder, p *publish.Publication, m *format.Message) error {
	if m == nil {
		body, err := s.Keeper.PartBytes(ctx, p.ID, 1)
		if err != nil {
			return err
		}
		m = &format.Message{}
		if err := json.Unmarshal(body, m); err != nil {
			return fmt.Errorf("read what is laid down: %w", err)
		}
	}
	var rules []byte
	if !p.Rules.None() {
		var err error
		if rules, err = json.Marshal(map[string]any{"rules": m.Rules, "withdraw": m.Withdraw}); err != nil {
			return fmt.Errorf("write the rules: %w", err)
		}
	}
	return folder.Lay(p.ID, m.Lines, m.Remove, rules)
}

// Late keeps answers that folders give to publications which have ended.
func (s *Sender) Late(ctx context.Context) error {
	links, err := s.Keeper.Links(ctx)
	if err != nil {
		return err
	}
	for channel, link := range links {
		if link.Kind != "folder" {
			continue
		}
		ids, err := s.Keeper.Unsettled(ctx, channel, s.Book().Add(-lateAnswers))
		if err != nil {
			return err
		}
		for _, id := range ids {
			answers, err := (&transport.Folder{Path: link.Address}).Answers(id)
			if err != nil || answers == nil {
				continue
			}
			replies := map[string]publish.Reply{}
			for sku, a := range answers {
				replies[sku] = publish.Reply(a)
			}
			err = s.Keeper.KeepLate(ctx, id, replies, s.Book())
			s.told(channel)
			if err != nil {
				return err
			}
		}
	}
	return nil
}
