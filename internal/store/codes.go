package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	driver "github.com/go-sql-driver/mysql"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/codes"
	"dogbane/internal/pricing/basket"
)

type codeRow struct {
	Rule, Word string
	At         time.Time
	Who        string
}

func (codeRow) TableName() string { return "codes" }

// AddCodes keeps words of an offer beside the book and says how many were not there yet: all or, when something fails,
// none.
func (s *Store) AddCodes(ctx context.Context, rule string, words []string, who string,
	at time.Time) (added int, err error) {
	err = s.transaction(ctx, func(tx *gorm.DB) error {
		added = 0
		for from := 0; from < len(words); from += batchSize {
			batch := make([]codeRow, min(batchSize, len(words)-from))
			for i := range batch {
				batch[i] = codeRow{rule, words[from+i], at, who}
			}
			done := tx.Clauses(clause.Insert{Modifier: "IGNORE"}).Create(&batch)
			if done.Error != nil {
				return done.Error
			}
			added += int(done.RowsAffected)
		}
		return nil
	})
	if err != nil {
		return 0, fmt.Errorf("keep codes of %s: %w", rule, err)
	}
	return added, nil
}

// DropCodes forgets words of an offer, all where none are named, and says how many there were. Their uses stay.
func (s *Store) DropCodes(ctx context.Context, rule string, words []string) (int, error) {
	q := s.db.WithContext(ctx).Where("rule = ?", rule)
	if words != nil {
		q = q.Where("word IN ?", words)
	}
	done := q.Delete(&codeRow{})
	if done.Error != nil {
		return 0, fmt.Errorf("forget codes of %s: %w", rule, done.Error)
	}
	return int(done.RowsAffected), nil
}

// CodeCounts are how many words each offer has beside the book.
func (s *Store) CodeCounts(ctx context.Context) (map[string]int, error) {
	var rows []struct {
		Rule string
		N    int
	}
	if err := s.db.WithContext(ctx).Raw("SELECT rule, COUNT(*) AS n FROM codes GROUP BY rule").Scan(&rows).Error; err != nil {
		return nil, fmt.Errorf("count the codes: %w", err)
	}
	counts := map[string]int{}
	for _, r := range rows {
		counts[r.Rule] = r.N
	}
	return counts, nil
}

// Codes are words of an offer after one, by their letters, with their uses; holding narrows them to those that hold
// some letters, used to those that were used.
func (s *Store) Codes(ctx context.Context, rule, holding, after string, used bool, limit int) ([]codes.Word, error) {
	sql := `SELECT c.word, COALESCE(u.uses, 0) AS uses,
		(SELECT MAX(r.at) FROM redemptions r WHERE r.rule = c.rule AND r.word = c.word AND r.given_back IS NULL) AS last
		FROM codes c LEFT JOIN code_uses u ON u.rule = c.rule AND u.word = c.word AND u.customer = ''
		WHERE c.rule = ? AND c.word > ?`
	args := []any{rule, after}
	if holding != "" {
		sql, args = sql+" AND INSTR(c.word, ?) > 0", append(args, holding)
	}
	if used {
		sql += " AND u.uses > 0"
	}
	var list []codes.Word
	err := s.db.WithContext(ctx).Raw(sql+" ORDER BY c.word LIMIT ?", append(args, limit)...).Scan(&list).Error
	if err != nil {
		return nil, fmt.Errorf("read codes of %s: %w", rule, err)
	}
	return list, nil
}

// CodeRules are the rules that each of some words opens.
func (s *Store) CodeRules(ctx context.Context, words []string) (map[string][]string, error) {
	var rows []codeRow
	if err := s.db.WithContext(ctx).Select("rule", "word").Where("word IN ?", possible(words)).Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("look codes up: %w", err)
	}
	rules := map[string][]string{}
	for _, r := range rows {
		rules[r.Word] = append(rules[r.Word], r.Rule)
	}
	return rules, nil
}

// possible leaves out what can be no word, as what ends in blanks, which the database would take for one without.
func possible(words []string) []string {
	list := []string{}
	for _, w := range words {
		if codes.Form.MatchString(w) {
			list = append(list, w)
		}
	}
	return list
}

type useRow struct {
	Rule, Word, Customer string
	Uses                 int
}

func (useRow) TableName() string { return "code_uses" }

// Uses are how often offers, and the presented words, were used, in all and by a customer.
func (s *Store) Uses(ctx context.Context, words []string, customer string) (map[string]basket.Used, error) {
	var rows []useRow
	err := s.db.WithContext(ctx).Where("word IN ? AND customer IN ?", append(possible(words), ""),
		[]string{"", customer}).Find(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("read how often offers were used: %w", err)
	}
	used := map[string]basket.Used{}
	for _, r := range rows {
		u := used[r.Rule]
		count := u.Uses
		if r.Word != "" {
			count = u.Codes[r.Word]
		}
		if r.Customer == "" {
			count.Total = r.Uses
		} else {
			count.Customer = r.Uses
		}
		if r.Word == "" {
			u.Uses = count
		} else {
			if u.Codes == nil {
				u.Codes = map[string]basket.Uses{}
			}
			u.Codes[r.Word] = count
		}
		used[r.Rule] = u
	}
	return used, nil
}

type redemptionRow struct {
	ID           int64
	Channel      string
	UseKey       string
	Rule, Word   string
	Customer     string
	Applications int
	Content      string
	At           time.Time
	GivenBack    *time.Time
}

func (redemptionRow) TableName() string { return "redemptions" }

// Redeem counts a use once by its key, within the bounds, and gives it as it was counted first; again says that it was
// counted before. Its errors are *codes.UsedUpError and *codes.OtherUseError.
func (s *Store) Redeem(ctx context.Context, u codes.Use, bounds codes.Bounds) (was codes.Use, again bool, err error) {
	err = s.counting(ctx, func(tx *gorm.DB) error {
		was, again, err = redeem(tx, u, bounds)
		return err
	})
	if err != nil {
		return u, false, fmt.Errorf("count a use of %s: %w", u.Rule, err)
	}
	return was, again, nil
}

// counting runs a transaction that counts, anew where it met another one in the middle.
func (s *Store) counting(ctx context.Context, work func(tx *gorm.DB) error) error {
	for tries := 0; ; tries++ {
		err := s.transaction(ctx, work)
		var refused *driver.MySQLError
		deadlock := errors.As(err, &refused) && (refused.Number == 1213 || refused.Number == 1205 || refused.Number == 1020)
		if !deadlock || tries == 20 || ctx.Err() != nil {
			return err
		}
		time.Sleep(time.Duration(tries+1) * 2 * time.Millisecond)
	}
}

func redeem(tx *gorm.DB, u codes.Use, bounds codes.Bounds) (as codes.Use, again bool, err error) {
	row := redemptionRow{Channel: u.Channel, UseKey: u.Key, Rule: u.Rule, Word: u.Code, Customer: u.Customer,
		Applications: u.Applications, Content: u.Content, At: u.At}
	created := tx.Clauses(clause.Insert{Modifier: "IGNORE"}).Create(&row)
	if created.Error != nil {
		return u, false, created.Error
	}
	if created.RowsAffected == 0 {
		return counted(tx, u)
	}
	return u, false, count(tx, u, bounds, u.Applications, 1)
}

// Redeemed gives a use as it was counted before; found is false where its key is new. Its error is a
// *codes.OtherUseError where its key stands for something else.
func (s *Store) Redeemed(ctx context.Context, u codes.Use) (was codes.Use, found bool, err error) {
	was, found, err = counted(s.db.WithContext(ctx), u)
	if err != nil {
		return u, false, fmt.Errorf("look a use of %s up: %w", u.Rule, err)
	}
	return was, found, nil
}

func counted(tx *gorm.DB, u codes.Use) (as codes.Use, found bool, err error) {
	var was redemptionRow
	done := tx.Where("channel = ? AND use_key = ?", u.Channel, u.Key).Limit(1).Find(&was)
	switch {
	case done.Error != nil || done.RowsAffected == 0:
		return u, false, done.Error
	case was.Content != u.Content:
		return u, false, &codes.OtherUseError{Problem: "This key stands for another use already."}
	case was.GivenBack != nil:
		return u, false, &codes.OtherUseError{Problem: "This use was given back; a new one needs a new key."}
	}
	u.Customer, u.Applications, u.At = was.Customer, was.Applications, was.At
	return u, true, nil
}

// count adds applications of an offer and orders of its word to every count that they concern, always in the same
// order.
func count(tx *gorm.DB, u codes.Use, bounds codes.Bounds, applications, orders int) error {
	add := func(word, customer string, by int, most *int, what string) error {
		if err := tx.Exec("INSERT IGNORE INTO code_uses (rule, word, customer, uses) VALUES (?, ?, ?, 0)", u.Rule, word,
			customer).Error; err != nil {
			return err
		}
		sql, args := "UPDATE code_uses SET uses = uses + ? WHERE rule = ? AND word = ? AND customer = ?",
			[]any{by, u.Rule, word, customer}
		if most != nil && by > 0 {
			sql, args = sql+" AND uses <= ?", append(args, *most-by)
		}
		done := tx.Exec(sql, args...)
		if done.Error == nil && done.RowsAffected == 0 && by != 0 {
			return &codes.UsedUpError{What: what}
		}
		return done.Error
	}
	err := add("", "", applications, bounds.Stock, "Nothing is left of this offer.")
	if err == nil && u.Customer != "" {
		err = add("", u.Customer, applications, bounds.PerCustomer, "This customer has had the offer as often as it goes.")
	}
	if err == nil && u.Code != "" {
		err = add(u.Code, "", orders, bounds.Uses, "This code is used up.")
	}
	if err == nil && u.Code != "" && u.Customer != "" {
		err = add(u.Code, u.Customer, orders, bounds.UsesPerCustomer, "This customer has used the code as often as it goes.")
	}
	return err
}

// GiveBack takes a use back by its key: an order was cancelled. Taking it back again changes nothing.
func (s *Store) GiveBack(ctx context.Context, channel, key string, at time.Time) error {
	err := s.counting(ctx, func(tx *gorm.DB) error { return giveBack(tx, channel, key, at, false) })
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return fmt.Errorf("use %q: %w", key, ErrNotFound)
	}
	if err != nil {
		return fmt.Errorf("give the use %q back: %w", key, err)
	}
	return nil
}

// giveBack gives a use back; one of an order that stands only with it.
func giveBack(tx *gorm.DB, channel, key string, at time.Time, with bool) error {
	var was redemptionRow
	if err := tx.Where("channel = ? AND use_key = ?", channel, key).Take(&was).Error; err != nil {
		return err
	}
	if !with {
		if order, is := strings.CutPrefix(key, "order "); is {
			order = strings.TrimSuffix(order, " / "+was.Rule)
			var standing int64
			of := tx.Model(&orderRow{}).Where("channel = ? AND order_key = ? AND content = ? AND cancelled IS NULL", channel, order,
				was.Content)
			if err := of.Count(&standing).Error; err != nil {
				return err
			}
			if standing > 0 {
				return &codes.OtherUseError{Problem: "This use belongs to an order: cancel the order."}
			}
		}
	}
	done := tx.Exec("UPDATE redemptions SET given_back = ? WHERE id = ? AND given_back IS NULL", at, was.ID)
	if done.Error != nil || done.RowsAffected == 0 {
		return done.Error
	}
	u := codes.Use{Rule: was.Rule, Code: was.Word, Customer: was.Customer}
	return count(tx, u, codes.Bounds{}, -was.Applications, -1)
}

// Redemption is a use that was counted.
type Redemption struct {
	Channel, Key, Rule, Word, Customer string
	Applications                       int
	At                                 time.Time
	GivenBack                          *time.Time
}

// Redemptions are the uses of an offer, newest first; of one word where it is named.
func (s *Store) Redemptions(ctx context.Context, rule, word string, limit int) ([]Redemption, error) {
	q := s.db.WithContext(ctx).Where("rule = ?", rule)
	if word != "" {
		q = q.Where("word = ?", word)
	}
	var rows []redemptionRow
	if err := q.Order("id DESC").Limit(limit).Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("read the uses of %s: %w", rule, err)
	}
	list := make([]Redemption, len(rows))
	for i, r := range rows {
		list[i] = Redemption{r.Channel, r.UseKey, r.Rule, r.Word, r.Customer, r.Applications, r.At, r.GivenBack}
	}
	return list, nil
}

// CodeOrders are how many orders used a word of each offer.
func (s *Store) CodeOrders(ctx context.Context) (map[string]int, error) {
	var rows []struct {
		Rule string
		N    int
	}
	err := s.db.WithContext(ctx).Raw(
		"SELECT rule, SUM(uses) AS n FROM code_uses WHERE word <> '' AND customer = '' GROUP BY rule").Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("count the uses of codes: %w", err)
	}
	counts := map[string]int{}
	for _, r := range rows {
		counts[r.Rule] = r.N
	}
	return counts, nil
}
