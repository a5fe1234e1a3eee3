package store

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/pricing"
	"dogbane/internal/publish"
)

// Underway are publications that are queued or sent, the lowest number of each channel.
func (s *Store) Underway(ctx context.Context) ([]publish.Publication, error) {
	var rows []publication
	err := s.db.WithContext(ctx).Where("id IN (SELECT MIN(id) FROM publications WHERE status IN ? GROUP BY channel)",
		[]publish.State{publish.Queued, publish.Sending}).Find(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("look which publications are under way: %w", err)
	}
	list := make([]publish.Publication, len(rows))
	for i := range rows {
		if list[i], err = rows[i].read(); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// Waiting are the publications that wait for a second person, the longest first.
func (s *Store) Waiting(ctx context.Context) ([]publish.Publication, error) {
	var rows []publication
	if err := s.db.WithContext(ctx).Where("status = ?", publish.Waiting).Order("id").Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("look what waits for a second person: %w", err)
	}
	return publicationsOf(rows)
}

// Claim makes a publication an owner's to send for as long as a lease lasts, by the database's clock; false where it is
// another's.
func (s *Store) Claim(ctx context.Context, id int64, owner string, lease time.Duration) (bool, error) {
	res := s.db.WithContext(ctx).Exec(`UPDATE publications SET status = ?, owner = ?, lease_until = NOW(6) + INTERVAL ? MICROSECOND
		WHERE id = ? AND status IN ? AND (owner IS NULL OR lease_until < NOW(6))`, publish.Sending, owner,
		lease.Microseconds(), id, []publish.State{publish.Queued, publish.Sending})
	if res.Error != nil {
		return false, fmt.Errorf("claim publication %d: %w", id, res.Error)
	}
	return res.RowsAffected == 1, nil
}

// Renew lengthens an owner's lease. Its errors are publish.ErrLost where it is no longer the owner's, a
// *publish.Stopped where somebody stops it, and publish.ErrUnlinked where its channel is not connected any more.
func (s *Store) Renew(ctx context.Context, id int64, owner string, lease time.Duration) error {
	res := s.db.WithContext(ctx).Exec(`UPDATE publications SET lease_until = NOW(6) + INTERVAL ? MICROSECOND
		WHERE id = ? AND status = ? AND owner = ?`, lease.Microseconds(), id, publish.Sending, owner)
	if res.Error == nil && res.RowsAffected == 0 {
		return publish.ErrLost
	}
	var row struct {
		StopBy string
		Linked bool
	}
	err := res.Error
	if err == nil {
		err = s.db.WithContext(ctx).Raw(`SELECT stop_by, EXISTS (SELECT 1 FROM links WHERE links.channel = publications.channel) AS linked
			FROM publications WHERE id = ?`, id).Scan(&row).Error
	}
	switch {
	case err != nil:
		return fmt.Errorf("hold publication %d: %w", id, err)
	case row.StopBy != "":
		return &publish.Stopped{By: row.StopBy}
	case !row.Linked:
		return publish.ErrUnlinked
	}
	return nil
}

// Stop has a publication that is being sent end, by whichever instance sends it.
func (s *Store) Stop(ctx context.Context, id int64, who string) error {
	res := s.db.WithContext(ctx).Exec("UPDATE publications SET stop_by = ? WHERE id = ? AND status = ?", who, id,
		publish.Sending)
	if res.Error != nil {
		return fmt.Errorf("stop publication %d: %w", id, res.Error)
	}
	if res.RowsAffected == 0 {
		if _, err := s.Publication(ctx, id); err != nil {
			return err
		}
		return fmt.Errorf("stop publication %d: %w", id, publish.ErrState)
	}
	return nil
}

// DropUnsent drops what was prepared before an instant and nobody sent.
func (s *Store) DropUnsent(ctx context.Context, before, now time.Time) error {
	err := s.db.WithContext(ctx).Exec("UPDATE publications SET status = ?, ended = ? WHERE status = ? AND started < ?",
		publish.Dropped, now.UTC(), publish.Prepared, before.UTC()).Error
	if err != nil {
		return fmt.Errorf("drop what nobody sent: %w", err)
	}
	return nil
}

// LetGo ends an owner's lease at once, so that another goes on.
func (s *Store) LetGo(ctx context.Context, id int64, owner string) error {
	err := s.db.WithContext(ctx).Exec("UPDATE publications SET owner = NULL WHERE id = ? AND owner = ?", id, owner).Error
	if err != nil {
		return fmt.Errorf("let go of publication %d: %w", id, err)
	}
	return nil
}

// own fails where a publication is not an owner's any more, and keeps others from it until the transaction ends.
func own(tx *gorm.DB, id int64, owner string) error {
	var holder *string
	err := tx.Raw("SELECT owner FROM publications WHERE id = ? AND status = ? FOR UPDATE", id,
		publish.Sending).Scan(&holder).Error
	if err == nil && (holder == nil || *holder != owner) {
		err = publish.ErrLost
	}
	return err
}

// part is a row of the table of a publication's parts.
type part struct {
	Publication int64 `gorm:"primaryKey"`
	Part        int   `gorm:"primaryKey"`
	Body        []byte
	State       string
	FirstTried  *time.Time
	ToldToWait  int64
	NotBefore   *time.Time
	Review      string
	ReviewSince *time.Time
}

func (part) TableName() string { return "publication_parts" }

// FixParts keeps the bytes of all parts before the first is sent. A single one has all rows, of several each has those
// that were prepared for it.
func (s *Store) FixParts(ctx context.Context, id int64, owner string, parts [][]byte) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := own(tx, id, owner); err != nil {
			return err
		}
		for i, body := range parts {
			if err := tx.Create(&part{Publication: id, Part: i + 1, Body: packed(body), State: "waiting"}).Error; err != nil {
				return err
			}
		}
		return tx.Exec("UPDATE publications SET parts = ? WHERE id = ?", len(parts), id).Error
	})
	if err != nil {
		return fmt.Errorf("fix the parts of publication %d: %w", id, err)
	}
	return nil
}

func packed(data []byte) []byte {
	var buf bytes.Buffer
	w, _ := gzip.NewWriterLevel(&buf, gzip.BestSpeed)
	_, _ = w.Write(data)
	_ = w.Close()
	return buf.Bytes()
}

func unpacked(data []byte) ([]byte, error) {
	r, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		return nil, err
	}
	return io.ReadAll(r)
}

// Parts are those of a publication, without their bytes.
func (s *Store) Parts(ctx context.Context, id int64) ([]publish.Part, error) {
	var rows []part
	if err := s.db.WithContext(ctx).Omit("body").Where("publication = ?", id).Order("part").Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the parts of publication %d: %w", id, err)
	}
	list := make([]publish.Part, len(rows))
	for i, r := range rows {
		list[i] = publish.Part{Number: r.Part, Answered: r.State == "answered", FirstTried: r.FirstTried,
			ToldToWait: time.Duration(r.ToldToWait) * time.Millisecond, NotBefore: r.NotBefore, Review: r.Review,
			ReviewSince: r.ReviewSince}
	}
	return list, nil
}

// PartBytes are the bytes of a part.
func (s *Store) PartBytes(ctx context.Context, id int64, number int) ([]byte, error) {
	var row part
	err := s.db.WithContext(ctx).Select("body").Where("publication = ? AND part = ?", id, number).Take(&row).Error
	var body []byte
	if err == nil {
		body, err = unpacked(row.Body)
	}
	if err != nil {
		return nil, fmt.Errorf("read part %d of publication %d: %w", number, id, err)
	}
	return body, nil
}

// KeepPart keeps how far a part has come.
func (s *Store) KeepPart(ctx context.Context, id int64, owner string, p publish.Part) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := own(tx, id, owner); err != nil {
			return err
		}
		return tx.Exec(`UPDATE publication_parts SET first_tried = ?, told_to_wait = ?, not_before = ?, review = ?,
			review_since = ? WHERE publication = ? AND part = ?`, p.FirstTried, p.ToldToWait.Milliseconds(), p.NotBefore,
			shorten(p.Review, 1000), p.ReviewSince, id, p.Number).Error
	})
	if err != nil {
		return fmt.Errorf("keep how far part %d of publication %d has come: %w", p.Number, id, err)
	}
	return nil
}

// End keeps how a publication ended. What was sent and not answered is unanswered; so is what was not sent any more,
// but of that nobody needs to wonder what the channel shows.
func (s *Store) End(ctx context.Context, p *publish.Publication, owner, problem string, at time.Time) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := own(tx, p.ID, owner); err != nil {
			return err
		}
		var tried []string
		if err := tx.Raw(`SELECT r.sku FROM publication_rows r JOIN publication_parts t ON t.publication = r.publication
			AND t.part = LEAST(r.part, ?) WHERE r.publication = ? AND r.answer = '' AND t.first_tried IS NOT NULL`,
			p.Parts, p.ID).Scan(&tried).Error; err != nil {
			return err
		}
		for some := range slices.Chunk(tried, batchSize) {
			if err := open(tx, p, publish.Unanswered, some); err != nil {
				return err
			}
		}
		if p.Kind == publish.TakeBack { // it may have taken them
			if err := hold(tx, p, tried); err != nil {
				return err
			}
		}
		left := tx.Exec("UPDATE publication_rows SET answer = ?, message = IF(message = '', ?, message) WHERE publication = ? AND answer = ''",
			publish.Unanswered, shorten(problem, 500), p.ID)
		if left.Error != nil {
			return left.Error
		}
		if err := tx.Exec("UPDATE publications SET unanswered = unanswered + ? WHERE id = ?", left.RowsAffected,
			p.ID).Error; err != nil {
			return err
		}
		var row publication
		if err := tx.Take(&row, p.ID).Error; err != nil {
			return err
		}
		now, err := row.read()
		if err != nil {
			return err
		}
		state := now.Counts.Outcome()
		if problem != "" && state == publish.Done && now.Counts.Total == 0 {
			state = publish.Failed
		}
		if err := tx.Exec("UPDATE publications SET status = ?, problem = ?, ended = ?, owner = NULL WHERE id = ?", state,
			shorten(problem, 1000), at.UTC(), p.ID).Error; err != nil {
			return err
		}
		p.State, p.Counts, p.Problem = state, now.Counts, problem
		if err := leftBehind(tx, p); err != nil {
			return err
		}
		return touch(tx, p.Channel)
	})
	if err != nil {
		return fmt.Errorf("keep how publication %d ended: %w", p.ID, err)
	}
	return nil
}

// leftBehind notes lines that were left out or not chosen. With neither lines nor rules nothing travelled: what is
// brought enters.
func leftBehind(tx *gorm.DB, p *publish.Publication) error {
	if err := tx.Exec(`INSERT INTO open_lines (channel, sku, why, publication, since, digest)
		SELECT ?, sku, answer, publication, publication, IF(answer = ?, left_digest, NULL) FROM publication_rows
		WHERE publication = ? AND answer IN ?
		ON DUPLICATE KEY UPDATE publication = VALUES(publication), digest = VALUES(digest)`, p.Channel, publish.LeftOut,
		p.ID, []publish.Answer{publish.LeftOut, publish.NotChosen}).Error; err != nil {
		return err
	}
	if p.Counts.Total > 0 || !p.Rules.None() || p.State != publish.Done {
		return nil
	}
	return enter(tx, p)
}

// Unsettled are ended publications to a channel since an instant of which lines are unanswered, the oldest first.
func (s *Store) Unsettled(ctx context.Context, channel string, since time.Time) (ids []int64, err error) {
	err = s.db.WithContext(ctx).Raw(`SELECT id FROM publications WHERE channel = ? AND unanswered > 0 AND ended > ?
		AND status IN ? ORDER BY id`, channel, since.UTC(), []publish.State{publish.Partly, publish.Failed}).Scan(&ids).Error
	if err != nil {
		return nil, fmt.Errorf("look for unanswered publications to %q: %w", channel, err)
	}
	return ids, nil
}

// KeepLate keeps answers that come after a publication has ended. What a newer publication named does not count.
func (s *Store) KeepLate(ctx context.Context, id int64, answers map[string]publish.Reply, at time.Time) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		var row publication
		if err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Take(&row, id).Error; err != nil {
			return err
		}
		p, err := row.read()
		if err != nil {
			return err
		}
		var rows []string
		err = tx.Model(&publicationRow{}).Where(`publication = ? AND answer = ? AND NOT EXISTS (SELECT 1 FROM publication_rows n
			JOIN publications q ON q.id = n.publication WHERE q.channel = ? AND q.id > ? AND n.sku = publication_rows.sku
			AND n.part > 0)`, id, publish.Unanswered, p.Channel, id).Pluck("sku", &rows).Error
		if err != nil {
			return err
		}
		rows = slices.DeleteFunc(rows, func(sku string) bool { _, named := answers[sku]; return !named })
		if len(rows) == 0 {
			return nil
		}
		if err := keepAnswers(tx, &p, chosen{skus: rows}, answers, at); err != nil {
			return err
		}
		if err := tx.Exec("UPDATE publications SET unanswered = unanswered - ? WHERE id = ?", len(rows), id).Error; err != nil {
			return err
		}
		if err := tx.Take(&row, id).Error; err != nil {
			return err
		}
		if p, err = row.read(); err != nil {
			return err
		}
		state := p.Counts.Outcome()
		p.State = state
		if err := tx.Exec("UPDATE publications SET status = ? WHERE id = ?", state, id).Error; err != nil {
			return err
		}
		return leftBehind(tx, &p)
	})
	if err != nil {
		return fmt.Errorf("keep late answers to publication %d: %w", id, err)
	}
	return nil
}

// ClaimDue says that a channel's due moments up to one are dealt with, by a publication that is queued at once where it
// has rows or rules; false where they are dealt with already, or a publication to the channel is under way.
func (s *Store) ClaimDue(ctx context.Context, channel string, after, to pricing.Moment, p *publish.Publication,
	rows []publish.Row) (mine bool, err error) {
	err = s.transaction(ctx, func(tx *gorm.DB) error {
		mine = false
		if err := touch(tx, channel); err != nil {
			return err
		}
		res := tx.Exec(`UPDATE channel_states SET due_after = ? WHERE channel = ? AND due_after = ? AND NOT EXISTS
			(SELECT 1 FROM publications WHERE publications.channel = channel_states.channel AND status IN ?)`, int64(to),
			channel, int64(after), []publish.State{publish.Queued, publish.Sending})
		if res.Error != nil || res.RowsAffected == 0 {
			return res.Error
		}
		mine = true
		if len(rows) == 0 && p.Rules.None() {
			return nil
		}
		return prepare(tx, p, rows)
	})
	if err != nil {
		return false, fmt.Errorf("claim what is due in channel %q: %w", channel, err)
	}
	return mine, nil
}
