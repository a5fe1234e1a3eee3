package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/publish"
)

// KeepAnswers keeps what a channel answered to a part, at once with what it shows from then on. Lines that it did not
// name are unanswered; nil: it will not answer any more. A large part is kept in steps, none of which takes long, and
// goes on where it stood.
func (s *Store) KeepAnswers(ctx context.Context, p *publish.Publication, owner string, number int,
	answers map[string]publish.Reply, at time.Time) error {
	for over := false; !over; {
		err := s.transaction(ctx, func(tx *gorm.DB) error {
			if err := own(tx, p.ID, owner); err != nil {
				return err
			}
			var answered bool
			if err := tx.Raw("SELECT state = 'answered' FROM publication_parts WHERE publication = ? AND part = ?", p.ID,
				number).Scan(&answered).Error; err != nil || answered {
				over = answered
				return err
			}
			rows, err := readRows(tx.Omit("line").Where("publication = ? AND part = ? AND answer = ''", p.ID, number).
				Order("sku").Limit(batchSize))
			if err != nil {
				return err
			}
			if err := keepAnswers(tx, p, rows, answers, at); err != nil {
				return err
			}
			if over = len(rows) < batchSize; !over {
				return nil
			}
			if number == p.Parts && answers != nil {
				if err := keepRules(tx, p); err != nil {
					return err
				}
			}
			return tx.Exec("UPDATE publication_parts SET state = 'answered' WHERE publication = ? AND part = ?", p.ID,
				number).Error
		})
		if err != nil {
			return fmt.Errorf("keep the answers to part %d of publication %d: %w", number, p.ID, err)
		}
	}
	return nil
}

// keepAnswers keeps answers to rows of a publication; a row that is not named is unanswered.
func keepAnswers(tx *gorm.DB, p *publish.Publication, rows []publish.Row, answers map[string]publish.Reply,
	at time.Time) error {
	type said struct {
		answer  publish.Answer
		message string
	}
	groups := map[said][]string{}
	var taken []string
	for i := range rows {
		r := &rows[i]
		reply, named := answers[r.SKU]
		what := said{publish.Unanswered, ""}
		switch {
		case named && reply.Taken:
			what = said{publish.Taken, shorten(reply.Message, 500)}
			taken = append(taken, r.SKU)
		case named:
			what = said{publish.Refused, shorten(reply.Message, 500)}
		}
		groups[what] = append(groups[what], r.SKU)
	}
	count := map[publish.Answer]int{}
	for what, skus := range groups {
		count[what.answer] += len(skus)
		for some := range slices.Chunk(skus, batchSize) {
			if err := tx.Exec("UPDATE publication_rows SET answer = ?, message = ? WHERE publication = ? AND sku IN ?",
				what.answer, what.message, p.ID, some).Error; err != nil {
				return err
			}
			if err := open(tx, p, what.answer, some); err != nil {
				return err
			}
		}
	}
	if err := show(tx, p, taken, at); err != nil {
		return err
	}
	if p.Kind == publish.TakeBack {
		var back []string
		for i := range rows {
			if reply, named := answers[rows[i].SKU]; !named || reply.Taken {
				back = append(back, rows[i].SKU)
			}
		}
		if err := hold(tx, p, back); err != nil {
			return err
		}
	}
	if err := tx.Exec("UPDATE publications SET taken = taken + ?, refused = refused + ?, unanswered = unanswered + ? WHERE id = ?",
		count[publish.Taken], count[publish.Refused], count[publish.Unanswered], p.ID).Error; err != nil {
		return err
	}
	return touch(tx, p.Channel)
}

// open notes why the channel does not show, or may not show, what rows said; what it took is open no more.
func open(tx *gorm.DB, p *publish.Publication, why publish.Answer, skus []string) error {
	if why == publish.Taken {
		return tx.Exec("DELETE FROM open_lines WHERE channel = ? AND sku IN ?", p.Channel, skus).Error
	}
	list := make([]openLine, len(skus))
	for i, sku := range skus {
		list[i] = openLine{Channel: p.Channel, SKU: sku, Why: string(why), Publication: p.ID}
	}
	return tx.Clauses(clause.OnConflict{DoUpdates: clause.AssignmentColumns([]string{"publication"})}).
		CreateInBatches(list, batchSize).Error
}

// show keeps what the channel shows of rows that it took, by their SKU, from an instant on.
func show(tx *gorm.DB, p *publish.Publication, taken []string, at time.Time) error {
	if len(taken) == 0 {
		return nil
	}
	if p.Named.Effective != "" {
		if effective, err := time.Parse(time.RFC3339, p.Named.Effective); err == nil && effective.After(at) {
			at = effective
		}
	}
	for some := range slices.Chunk(taken, batchSize) {
		// Also what would be shown until a later line begins, which this one replaces.
		if err := tx.Exec(`UPDATE published_prices SET until_at = GREATEST(from_at, ?)
			WHERE channel = ? AND sku IN ? AND (shows_now = 1 OR until_at > ?)`, at.UTC(), p.Channel, some,
			at.UTC()).Error; err != nil {
			return err
		}
		// Within the database: lines are large.
		if err := tx.Exec(`INSERT INTO published_prices (channel, sku, price, reference, currency, from_at, publication, line,
			digest, reduced, kept_reference) SELECT ?, sku, price, reference, currency, ?, publication, line, digest, reduced,
			kept_reference FROM publication_rows WHERE publication = ? AND sku IN ?`, p.Channel, at.UTC(), p.ID,
			some).Error; err != nil {
			return err
		}
	}
	return nil
}

// hold keeps lines of a take-back from being sent again: those that the channel took, or may have taken.
func hold(tx *gorm.DB, p *publish.Publication, skus []string) error {
	for some := range slices.Chunk(skus, batchSize) {
		if err := tx.Exec(`INSERT INTO open_lines (channel, sku, why, publication, price)
			SELECT ?, sku, ?, ?, price FROM publication_rows WHERE publication = ? AND sku IN ?
			ON DUPLICATE KEY UPDATE publication = VALUES(publication), price = VALUES(price)`, p.Channel, publish.Held, p.ID,
			p.Of, some).Error; err != nil {
			return err
		}
	}
	return nil
}

// keepRules keeps the rules that went along with the last part as taken.
func keepRules(tx *gorm.DB, p *publish.Publication) error {
	for _, doc := range p.Rules.Rules {
		var head struct{ Code string }
		if err := json.Unmarshal(doc, &head); err != nil {
			return err
		}
		if err := tx.Save(&channelRule{p.Channel, head.Code, string(doc), p.ID}).Error; err != nil {
			return err
		}
	}
	if len(p.Rules.Withdraw) == 0 {
		return nil
	}
	return tx.Where("channel = ? AND code IN ?", p.Channel, p.Rules.Withdraw).Delete(&channelRule{}).Error
}
