package store

import (
	"context"
	"fmt"
	"log/slog"
	"time"

	"dogbane/internal/publish"
)

// packAfter is how long whole lines are kept as texts beside the packed parts in which they were sent.
const packAfter = 48 * time.Hour

// PackDaily packs what is old, every day until ctx ends, and first when the program has been at work for a while. The
// time is the one by which prices are dated.
func (s *Store) PackDaily(ctx context.Context, now func() time.Time) {
	for wait := 10 * time.Minute; ; wait = 24 * time.Hour {
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		if n, err := s.Pack(ctx, now().Add(-packAfter)); err != nil && ctx.Err() == nil {
			slog.Warn("cannot pack old lines; it is tried again in a day", "error", err)
		} else if n > 0 {
			slog.Info("old lines are packed", "lines", n)
		}
	}
}

// packedUntil is the fact that says until when publications have ended whose rows are packed.
const packedUntil = "packed-until"

// Pack drops the texts of lines that were sent before an instant and stay, packed, in the parts that carried them:
// those of publications that were answered, and those of prices that are no longer shown. What may still be given back,
// the line shown before the present one, keeps its text, as do lines that were refused or not answered. A few thousand
// lines at a time, so nobody waits for it. It says of how many.
func (s *Store) Pack(ctx context.Context, before time.Time) (int, error) {
	packed := 0
	db := s.db.WithContext(ctx)
	kept, err := s.Fact(ctx, packedUntil)
	if err != nil {
		return packed, err
	}
	since, _ := time.Parse(time.RFC3339Nano, kept) // never: from the first on
	var ended []publication
	if err := db.Raw("SELECT id, channel FROM publications WHERE ended >= ? AND ended < ? AND parts > 0", since.UTC(),
		before.UTC()).Scan(&ended).Error; err != nil {
		return packed, fmt.Errorf("find old publications: %w", err)
	}
	for _, p := range ended {
		for {
			done := db.Exec(`DELETE FROM publication_lines WHERE publication = ? AND NOT EXISTS (SELECT 1 FROM publication_rows r
				WHERE r.publication = publication_lines.publication AND r.sku = publication_lines.sku AND r.answer IN ?)
				AND NOT EXISTS (SELECT 1 FROM shown_prices n WHERE n.channel = ? AND n.sku = publication_lines.sku
				AND n.publication = publication_lines.publication)
				AND NOT EXISTS (SELECT 1 FROM past_prices o WHERE o.channel = ? AND o.sku = publication_lines.sku
				AND o.publication = publication_lines.publication) LIMIT ?`, p.ID,
				[]publish.Answer{publish.Refused, publish.Unanswered}, p.Channel, p.Channel, batchSize)
			if done.Error != nil {
				return packed, fmt.Errorf("pack the lines of publication %d: %w", p.ID, done.Error)
			}
			if packed += int(done.RowsAffected); done.RowsAffected == 0 {
				break
			}
		}
	}
	if err := s.SetFact(ctx, packedUntil, before.UTC().Format(time.RFC3339Nano)); err != nil {
		return packed, err
	}
	for {
		var old []publicationLine
		if err := db.Raw(`SELECT o.publication, o.sku FROM past_prices o
			JOIN publications p ON p.id = o.publication AND p.parts > 0
			JOIN publication_lines l ON l.publication = o.publication AND l.sku = o.sku
			WHERE o.until_at < ? AND EXISTS (SELECT 1 FROM past_prices n
			WHERE n.channel = o.channel AND n.sku = o.sku AND n.publication > o.publication) LIMIT ?`, before.UTC(),
			batchSize).Scan(&old).Error; err != nil {
			return packed, fmt.Errorf("find old prices: %w", err)
		}
		if len(old) == 0 {
			return packed, nil
		}
		of := map[int64][]string{}
		for _, l := range old {
			of[l.Publication] = append(of[l.Publication], l.SKU)
		}
		for id, skus := range of {
			done := db.Exec("DELETE FROM publication_lines WHERE publication = ? AND sku IN ?", id, skus)
			if done.Error != nil {
				return packed, fmt.Errorf("pack old prices: %w", done.Error)
			}
			packed += int(done.RowsAffected)
		}
	}
}
