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
			some := chosen{skus: make([]string, len(rows))}
			for i := range rows {
				some.skus[i] = rows[i].SKU
			}
			if len(rows) > 0 {
				some.first, some.last = rows[0].Part, rows[len(rows)-1].Part
			}
			if err := keepAnswers(tx, p, some, answers, at); err != nil {
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

// chosen are some rows of a publication, by their SKU. Where they are all of some parts from the first to the last of
// them, the database finds them by that, at half of what a list costs it.
type chosen struct {
	skus        []string
	first, last int // the parts; 0: they are not all of them
}

// where is the condition that rows of a table are chosen.
func (c *chosen) where(table string) (condition string, args []any) {
	if c.first > 0 && slices.IsSorted(c.skus) {
		// Not BETWEEN: of two that differ in their case alone the database makes one, by the connection's collation.
		return table + ".sku >= ? AND " + table + ".sku <= ? AND " + table + ".part BETWEEN ? AND ?",
			[]any{c.skus[0], c.skus[len(c.skus)-1], c.first, c.last}
	}
	return table + ".sku IN ?", []any{c.skus}
}

// keepAnswers keeps answers to rows of a publication; a row that is not named is unanswered.
func keepAnswers(tx *gorm.DB, p *publish.Publication, rows chosen, answers map[string]publish.Reply,
	at time.Time) error {
	if len(rows.skus) == 0 {
		return touch(tx, p.Channel)
	}
	type said struct {
		answer  publish.Answer
		message string
	}
	groups := map[said][]string{}
	for _, sku := range rows.skus {
		reply, named := answers[sku]
		what := said{publish.Unanswered, ""}
		switch {
		case named && reply.Taken:
			what = said{publish.Taken, shorten(reply.Message, 500)}
		case named:
			what = said{publish.Refused, shorten(reply.Message, 500)}
		}
		groups[what] = append(groups[what], sku)
	}
	// What most were answered is written to all, and the others after it.
	var most said
	for what, skus := range groups {
		if len(skus) > len(groups[most]) {
			most = what
		}
	}
	condition, args := rows.where("publication_rows")
	if err := tx.Exec("UPDATE publication_rows SET answer = ?, message = ? WHERE publication = ? AND "+condition,
		append([]any{most.answer, most.message, p.ID}, args...)...).Error; err != nil {
		return err
	}
	count := map[publish.Answer]int{}
	for what, skus := range groups {
		count[what.answer] += len(skus)
		for some := range slices.Chunk(skus, batchSize) {
			if what != most {
				if err := tx.Exec("UPDATE publication_rows SET answer = ?, message = ? WHERE publication = ? AND sku IN ?",
					what.answer, what.message, p.ID, some).Error; err != nil {
					return err
				}
			}
			if err := open(tx, p, what.answer, some); err != nil {
				return err
			}
		}
	}
	if count[publish.Taken] > 0 {
		if err := show(tx, p, rows, at); err != nil {
			return err
		}
		if err := touch(tx, p.Channel); err != nil {
			return err
		}
		if err := enter(tx, p); err != nil {
			return err
		}
	}
	if p.Kind == publish.TakeBack {
		var back []string
		for _, sku := range rows.skus {
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
		list[i] = openLine{Channel: p.Channel, SKU: sku, Why: string(why), Publication: p.ID, Since: p.ID}
	}
	return tx.Clauses(clause.OnConflict{DoUpdates: clause.AssignmentColumns([]string{"publication"})}).
		CreateInBatches(list, batchSize).Error
}

// show keeps what the channel shows of those of some rows that it took, from an instant on.
func show(tx *gorm.DB, p *publish.Publication, rows chosen, at time.Time) error {
	if p.Named.Effective != "" {
		if effective, err := time.Parse(time.RFC3339, p.Named.Effective); err == nil && effective.After(at) {
			at = effective
		}
	}
	condition, args := rows.where("r")
	took := "r.publication = ? AND r.answer = ? AND " + condition
	args = append([]any{p.ID, publish.Taken}, args...)
	with := func(first ...any) []any { return append(first, args...) }
	const replaced = ` FROM publication_rows r JOIN shown_prices n ON n.channel = ? AND n.sku = r.sku WHERE `
	// A line that was to begin later is replaced, and what would have been shown until then ends now.
	var ahead []string
	if err := tx.Raw("SELECT n.sku"+replaced+took+" AND n.from_at > ?", append(with(p.Channel), at.UTC())...).Scan(
		&ahead).Error; err != nil {
		return err
	}
	for some := range slices.Chunk(ahead, batchSize) {
		if err := tx.Exec(`UPDATE past_prices SET until_at = GREATEST(from_at, ?) WHERE channel = ? AND sku IN ?
			AND until_at > ?`, at.UTC(), p.Channel, some, at.UTC()).Error; err != nil {
			return err
		}
	}
	if err := tx.Exec("INSERT INTO past_prices ("+priceColumns+`, until_at) SELECT n.channel, n.sku, n.price, n.reference,
		n.currency, n.from_at, n.publication, n.digest, n.reduced, n.kept_reference, GREATEST(n.from_at, ?)`+replaced+took,
		with(at.UTC(), p.Channel)...).Error; err != nil {
		return err
	}
	return tx.Exec("REPLACE INTO shown_prices ("+priceColumns+`) SELECT ?, r.sku, r.price, r.reference, r.currency, ?,
		r.publication, r.digest, r.reduced, r.kept_reference FROM publication_rows r WHERE `+took,
		with(p.Channel, at.UTC())...).Error
}

// hold keeps lines of a take-back from being sent again: those that the channel took, or may have taken.
func hold(tx *gorm.DB, p *publish.Publication, skus []string) error {
	for some := range slices.Chunk(skus, batchSize) {
		if err := tx.Exec(`INSERT INTO open_lines (channel, sku, why, publication, price, since)
			SELECT ?, sku, ?, ?, price, publication FROM publication_rows WHERE publication = ? AND sku IN ?
			ON DUPLICATE KEY UPDATE publication = VALUES(publication), price = VALUES(price), since = VALUES(since)`, p.Channel,
			publish.Held, p.ID, p.Of, some).Error; err != nil {
			return err
		}
	}
	return nil
}

// keepRules keeps the rules that went along with the last part as taken. Where there are no lines, what is brought
// enters with that.
func keepRules(tx *gorm.DB, p *publish.Publication) error {
	if p.Counts.Total == 0 {
		if err := touch(tx, p.Channel); err != nil {
			return err
		}
		if err := enter(tx, p); err != nil {
			return err
		}
	}
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
