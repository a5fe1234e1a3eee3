package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/codes"
	"dogbane/internal/intake"
	"dogbane/internal/mail"
)

// Order is what a channel sold at once, as it reported it.
type Order struct {
	Channel string
	Key     string // the channel's own name of it
	Content string // SHA-256 of what was reported
	Answer  string // what was answered, JSON
	At      time.Time
	Mails   []mail.Message // that go with it
}

type orderRow struct {
	ID        int64
	Channel   string
	OrderKey  string
	Content   string
	Answer    string
	At        time.Time
	Cancelled *time.Time
}

func (orderRow) TableName() string { return "channel_orders" }

// Counted is a use of an offer within an order, with its bounds.
type Counted struct {
	codes.Use
	Bounds codes.Bounds
}

// PlaceOrder keeps an order once by its key: its lines as sales, the uses of its offers counted, all or nothing. An
// order that was placed before, with the same content, is given as it was answered then. Its errors are
// *codes.UsedUpError and *codes.OtherUseError.
func (s *Store) PlaceOrder(ctx context.Context, o *Order, file string, lines []intake.SoldLine,
	uses []Counted) (again bool, err error) {
	err = s.counting(ctx, func(tx *gorm.DB) error {
		again = false
		row := orderRow{Channel: o.Channel, OrderKey: o.Key, Content: o.Content, Answer: o.Answer, At: o.At}
		created := tx.Clauses(clause.Insert{Modifier: "IGNORE"}).Create(&row)
		if created.Error != nil {
			return created.Error
		}
		if created.RowsAffected == 0 {
			var err error
			again, err = placed(tx, o)
			return err
		}
		for _, u := range uses {
			if _, _, err := redeem(tx, u.Use, u.Bounds); err != nil {
				return err
			}
		}
		if err := addMails(tx, o.Mails, time.Now().UTC()); err != nil {
			return err
		}
		return addOrderLines(tx, row.ID, file, o, lines)
	})
	if err != nil {
		return false, fmt.Errorf("keep the order %q: %w", o.Key, err)
	}
	return again, nil
}

// Placed reports whether an order was placed before, with the same content; then o has the answer that it got. Its
// error is a *codes.OtherUseError where its key stands for something else.
func (s *Store) Placed(ctx context.Context, o *Order) (bool, error) {
	found, err := placed(s.db.WithContext(ctx), o)
	if err != nil {
		return false, fmt.Errorf("look the order %q up: %w", o.Key, err)
	}
	return found, nil
}

func placed(tx *gorm.DB, o *Order) (bool, error) {
	var was orderRow
	found := tx.Where("channel = ? AND order_key = ?", o.Channel, o.Key).Limit(1).Find(&was)
	switch {
	case found.Error != nil || found.RowsAffected == 0:
		return false, found.Error
	case was.Content != o.Content:
		return false, &codes.OtherUseError{Problem: "This key stands for another order already."}
	case was.Cancelled != nil:
		return false, &codes.OtherUseError{Problem: "This order was cancelled; a new one needs a new key."}
	}
	o.Answer = was.Answer
	return true, nil
}

func addOrderLines(tx *gorm.DB, order int64, name string, o *Order, lines []intake.SoldLine) error {
	file := salesFileRow{Name: name, Who: o.Channel, At: o.At}
	err := tx.Omit("Rows").Where("name = ? AND who = ?", file.Name, file.Who).Order("id").Take(&file).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		err = tx.Omit("Rows").Create(&file).Error
	}
	if err != nil {
		return err
	}
	for _, l := range lines {
		if err := tx.Create(&saleRow{File: file.ID, SoldLine: l, ChannelOrder: &order}).Error; err != nil {
			return err
		}
	}
	return nil
}

// CancelOrder takes an order back: its sales are forgotten, its uses given back. Cancelling it again changes nothing.
func (s *Store) CancelOrder(ctx context.Context, channel, key string, at time.Time) error {
	err := s.counting(ctx, func(tx *gorm.DB) error {
		var row orderRow
		if err := tx.Where("channel = ? AND order_key = ?", channel, key).Take(&row).Error; err != nil {
			return err
		}
		done := tx.Exec("UPDATE channel_orders SET cancelled = ? WHERE id = ? AND cancelled IS NULL", at, row.ID)
		if done.Error != nil || done.RowsAffected == 0 {
			return done.Error
		}
		if err := tx.Exec("DELETE FROM sales WHERE channel_order = ?", row.ID).Error; err != nil {
			return err
		}
		// Other keys may begin with this one; the content is of this order alone.
		var keys []string
		its := OrderUse(escapeLike.Replace(key), "%")
		of := tx.Model(&redemptionRow{}).Where("channel = ? AND use_key LIKE ?", channel, its)
		if err := of.Where("content = ?", row.Content).Pluck("use_key", &keys).Error; err != nil {
			return err
		}
		for _, use := range keys {
			if err := giveBack(tx, channel, use, at, true); err != nil {
				return err
			}
		}
		return nil
	})
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return fmt.Errorf("order %q: %w", key, ErrNotFound)
	}
	if err != nil {
		return fmt.Errorf("cancel the order %q: %w", key, err)
	}
	return nil
}

// OrderUse is the key of an offer's use within an order.
func OrderUse(order, rule string) string { return "order " + order + " / " + rule }

// escapeLike writes a text so that LIKE looks for nothing but it.
var escapeLike = strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`)
