package sending

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"time"

	"dogbane/internal/publish"
	"dogbane/internal/publish/format"
	"dogbane/internal/publish/transport"
)

// throughFolder is how channels are reached that take files from a folder and lay answers beside them.
type throughFolder struct{}

func (throughFolder) whole() bool               { return true }
func (throughFolder) answersLate() bool         { return true }
func (throughFolder) Read(*publish.Link) Reader { return nil }

// Check wants a folder below one that the operator allows.
func (throughFolder) Check(folder string) (string, error) { return folder, allowedFolder(folder) }

func (throughFolder) Try(_ context.Context, l *publish.Link) error {
	return (&transport.Folder{Path: l.Address}).Try()
}

func (throughFolder) send(ctx, holding context.Context, s *Sender, p *publish.Publication, l *publish.Link,
	last *format.Message) error {
	return s.throughFolder(ctx, holding, p, l, last)
}

func (throughFolder) late(ctx context.Context, s *Sender, l *publish.Link, id int64) error {
	answers, err := (&transport.Folder{Path: l.Address}).Answers(id)
	if err != nil || answers == nil {
		return nil // there are none, or it is asked again later
	}
	replies := map[string]publish.Reply{}
	for sku, a := range answers {
		replies[sku] = publish.Reply(a)
	}
	err = s.Keeper.KeepLate(ctx, id, replies, s.Book())
	s.told(l.Channel)
	return err
}

// throughFolder lays a publication down and waits for its answer file. m is its only part where that was just fixed;
// nil: it is read.
func (s *Sender) throughFolder(ctx, holding context.Context, p *publish.Publication, link *publish.Link,
	m *format.Message) error {
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
func (s *Sender) layDown(ctx context.Context, folder *transport.Folder, p *publish.Publication, part *publish.Part,
	m *format.Message,
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

// allowedFolder reports what is wrong with the folder of a channel: it has to lie below one that the operator allows.
func allowedFolder(folder string) error {
	allowed := os.Getenv("DOGBANE_FOLDERS")
	if allowed == "" {
		return errors.New("no folder is allowed: whoever runs the program names one in DOGBANE_FOLDERS")
	}
	clean := filepath.Clean(folder)
	for _, root := range filepath.SplitList(allowed) {
		rel, err := filepath.Rel(root, clean)
		if filepath.IsAbs(folder) && err == nil && rel != "." && rel != ".." && !strings.HasPrefix(rel, "../") {
			return nil
		}
	}
	return fmt.Errorf("the folder must lie below %s", strings.Join(filepath.SplitList(allowed), " or "))
}
