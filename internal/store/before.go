package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"dogbane/internal/publish"
	"dogbane/internal/publish/telling"
)

// Before is what a channel showed of each product that still stems from a publication, before it: of lines that it
// took, and of those without an answer, which it may have taken. A row without a price was not shown.
func (s *Store) Before(ctx context.Context, p *publish.Publication) ([]publish.Row, error) {
	failed := func(err error) ([]publish.Row, error) {
		return nil, fmt.Errorf("read what was shown before publication %d: %w", p.ID, err)
	}
	db := s.db.WithContext(ctx)
	// What still stems from it.
	const still = `publication_rows r JOIN shown_prices n ON n.channel = ? AND n.sku = r.sku AND n.publication = r.publication`
	var now, before []keptPrice
	if err := db.Raw("SELECT n.* FROM "+still+" WHERE r.publication = ? ORDER BY n.sku", p.Channel,
		p.ID).Scan(&now).Error; err != nil {
		return failed(err)
	}
	if err := db.Raw("SELECT "+withLine("b")+` FROM (SELECT n.channel, n.sku, MAX(x.publication) AS publication FROM `+still+`
		JOIN past_prices x ON x.channel = n.channel AND x.sku = n.sku WHERE r.publication = ? GROUP BY n.channel, n.sku) m
		JOIN past_prices b ON b.channel = m.channel AND b.sku = m.sku AND b.publication = m.publication`, p.Channel,
		p.ID).Scan(&before).Error; err != nil {
		return failed(err)
	}
	var unsure []keptPrice // what was shown of lines without an answer, and still is as far as is known
	if err := db.Raw(`SELECT o.sku, n.price, n.reference, COALESCE(n.currency, r.currency) AS currency, l.line, n.digest,
		COALESCE(n.reduced, 0) AS reduced, n.kept_reference FROM open_lines o
		JOIN publication_rows r ON r.publication = o.publication AND r.sku = o.sku
		LEFT JOIN shown_prices n ON n.channel = o.channel AND n.sku = o.sku
		LEFT JOIN publication_lines l ON l.publication = n.publication AND l.sku = n.sku
		WHERE o.channel = ? AND o.why = ? AND o.publication = ?`, p.Channel, publish.Unanswered,
		p.ID).Scan(&unsure).Error; err != nil {
		return failed(err)
	}
	was := map[string]*keptPrice{}
	for i := range before {
		was[before[i].SKU] = &before[i]
	}
	var rows []publish.Row
	add := func(sku, currency string, now *string, b *keptPrice) error {
		r := publicationRow{SKU: sku, Currency: currency, Was: now}
		if b != nil {
			r.Price, r.Reference, r.Line, r.Digest, r.Reduced, r.KeptReference = b.Price, b.Reference, b.Line, b.Digest,
				b.Reduced, b.KeptReference
		}
		row, err := r.read()
		rows = append(rows, row)
		return err
	}
	for i := range now {
		if err := add(now[i].SKU, now[i].Currency, now[i].Price, was[now[i].SKU]); err != nil {
			return failed(err)
		}
	}
	for i := range unsure {
		if err := add(unsure[i].SKU, unsure[i].Currency, unsure[i].Price, &unsure[i]); err != nil {
			return failed(err)
		}
	}
	slices.SortFunc(rows, func(a, b publish.Row) int { return strings.Compare(a.SKU, b.SKU) })
	return rows, nil
}

// RulesBefore undoes what a publication told of rules that still stem from it.
func (s *Store) RulesBefore(ctx context.Context, p *publish.Publication) (telling.RuleChanges, error) {
	var back telling.RuleChanges
	if p.Rules.None() {
		return back, nil
	}
	failed := func(err error) (telling.RuleChanges, error) {
		return back, fmt.Errorf("read which rules were told before publication %d: %w", p.ID, err)
	}
	know, err := s.Know(ctx, p.Channel, time.Now())
	if err != nil {
		return back, err
	}
	var rows []publication
	if err := s.db.WithContext(ctx).Where("channel = ? AND id < ? AND rules IS NOT NULL AND status IN ?", p.Channel, p.ID,
		[]publish.State{publish.Done, publish.Partly}).Order("id DESC").Find(&rows).Error; err != nil {
		return failed(err)
	}
	earlier := make([]telling.RuleChanges, len(rows))
	for i := range rows {
		of, err := rows[i].read()
		if err != nil {
			return failed(err)
		}
		earlier[i] = of.Rules
	}
	code := func(doc json.RawMessage) string {
		var head struct{ Code string }
		_ = json.Unmarshal(doc, &head) // it was written by this program
		return head.Code
	}
	before := func(of string) json.RawMessage {
		for _, c := range earlier {
			if slices.Contains(c.Withdraw, of) {
				return nil
			}
			for _, doc := range c.Rules {
				if code(doc) == of {
					return doc
				}
			}
		}
		return nil
	}
	for _, doc := range p.Rules.Rules {
		of := code(doc)
		if string(know.Rules[of]) != string(doc) {
			continue // told otherwise since
		}
		if was := before(of); was != nil {
			back.Rules = append(back.Rules, was)
		} else {
			back.Withdraw = append(back.Withdraw, of)
		}
	}
	for _, of := range p.Rules.Withdraw {
		if was := before(of); was != nil && know.Rules[of] == nil {
			back.Rules = append(back.Rules, was)
		}
	}
	return back, nil
}
