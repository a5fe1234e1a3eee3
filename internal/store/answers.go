package store

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
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
	first, last := number, number
	if p.Parts == 1 { // all in one, as a folder has it
		last = math.MaxInt32
	}
	var done publicationRow // the last line that is kept
	for over := false; !over; {
		next := done
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
			var rows []publicationRow
			if err := tx.Select("part, sku").Where(`publication = ? AND part BETWEEN ? AND ? AND (part > ? OR sku > ?)
				AND answer = ''`, p.ID, max(first, done.Part), last, done.Part, done.SKU).Order("part, sku").Limit(batchSize).
				Find(&rows).Error; err != nil {
				return err
			}
			skus := make([]string, len(rows))
			for i := range rows {
				skus[i] = rows[i].SKU
			}
			if err := keepAnswers(tx, p, skus, answers, at); err != nil {
				return err
			}
			if over = len(rows) < batchSize; !over {
				next = rows[len(rows)-1]
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
		done = next
	}
	return nil
}

// keepAnswers keeps answers to rows of a publication, by their SKU; a row that is not named is unanswered.
func keepAnswers(tx *gorm.DB, p *publish.Publication, rows []string, answers map[string]publish.Reply,
	at time.Time) error {
	type said struct {
		answer  publish.Answer
		message string
	}
	groups := map[said][]string{}
	var taken []string
	for _, sku := range rows {
		reply, named := answers[sku]
		what := said{publish.Unanswered, ""}
		switch {
		case named && reply.Taken:
			what = said{publish.Taken, shorten(reply.Message, 500)}
			taken = append(taken, sku)
		case named:
			what = said{publish.Refused, shorten(reply.Message, 500)}
		}
		groups[what] = append(groups[what], sku)
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
		for _, sku := range rows {
			if reply, named := answers[sku]; !named || reply.Taken {
				back = append(back, sku)
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
		if err := tx.Exec(`INSERT INTO published_prices (channel, sku, price, reference, currency, from_at, publication,
			digest, reduced, kept_reference) SELECT ?, sku, price, reference, currency, ?, publication, digest, reduced,
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
