package store

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"dogbane/internal/book"
	"dogbane/internal/intake"
	"dogbane/internal/pricing"
)

// saleRow is one sold line of a file.
type saleRow struct {
	ID   int64
	File int64
	intake.SoldLine
	ChannelOrder *int64 // where a channel reported it
}

func (saleRow) TableName() string { return "sales" }

type salesFileRow struct {
	ID        int64
	Name, Who string
	At        time.Time
	Entry     *int64
	Rows      int `gorm:"->;-:migration"` // counted, not kept
}

func (salesFileRow) TableName() string { return "sales_files" }

// AddSales keeps the sales of a file: all of them or, when ctx ends or something fails, none. done is told how many
// are written.
func (s *Store) AddSales(ctx context.Context, file *intake.SalesFile, lines []intake.SoldLine, done func(int)) error {
	err := s.transaction(ctx, func(tx *gorm.DB) error {
		if err := tx.Omit("Rows").Create((*salesFileRow)(file)).Error; err != nil {
			return err
		}
		for from := 0; from < len(lines); from += batchSize {
			batch := make([]saleRow, min(batchSize, len(lines)-from))
			for i := range batch {
				batch[i] = saleRow{File: file.ID, SoldLine: lines[from+i]}
			}
			if err := tx.Create(&batch).Error; err != nil {
				return err
			}
			done(from + len(batch))
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("keep the sales of %s: %w", file.Name, err)
	}
	return nil
}

// DropSales forgets the sales of a file.
func (s *Store) DropSales(ctx context.Context, file int64) error {
	gone := s.db.WithContext(ctx).Delete(&salesFileRow{}, file) // the rows go with it
	if gone.Error != nil {
		return fmt.Errorf("forget the sales of file %d: %w", file, gone.Error)
	}
	if gone.RowsAffected == 0 {
		return fmt.Errorf("sales file %d: %w", file, ErrNotFound)
	}
	return nil
}

// SetSalesEntry keeps which entry of the log counted a file's units sold.
func (s *Store) SetSalesEntry(ctx context.Context, file, entry int64) error {
	if err := s.db.WithContext(ctx).Model(&salesFileRow{ID: file}).Update("entry", entry).Error; err != nil {
		return fmt.Errorf("keep what counted the sales of file %d: %w", file, err)
	}
	return nil
}

// DropSalesOf forgets the sales whose units an entry of the log counted.
func (s *Store) DropSalesOf(ctx context.Context, entry int64) error {
	if err := s.db.WithContext(ctx).Where("entry = ?", entry).Delete(&salesFileRow{}).Error; err != nil {
		return fmt.Errorf("forget the sales of entry %d: %w", entry, err)
	}
	return nil
}

// SalesFiles are the files brought in, newest first.
func (s *Store) SalesFiles(ctx context.Context) ([]intake.SalesFile, error) {
	var list []intake.SalesFile
	err := s.db.WithContext(ctx).Raw(
		"SELECT f.*, (SELECT COUNT(*) FROM sales WHERE sales.file = f.id) AS `rows` FROM sales_files f ORDER BY id DESC").Scan(&list).Error
	if err != nil {
		return nil, fmt.Errorf("read the files of sales: %w", err)
	}
	return list, nil
}

// SoldUnits are the pieces sold of each product that was ever sold, in [from, to).
func (s *Store) SoldUnits(ctx context.Context, from, to pricing.Moment) (map[string]int64, error) {
	rows, err := s.db.WithContext(ctx).Raw(
		"SELECT sku, SUM(IF(moment >= ? AND moment < ?, quantity, 0)) FROM sales GROUP BY sku", from, to).Rows()
	if err != nil {
		return nil, fmt.Errorf("count what was sold: %w", err)
	}
	defer rows.Close()
	units := map[string]int64{}
	for rows.Next() {
		var sku string
		var n int64
		if err := rows.Scan(&sku, &n); err != nil {
			return nil, fmt.Errorf("count what was sold: %w", err)
		}
		units[sku] = n
	}
	return units, s.noted(rows.Err())
}

// SoldIn are the pieces of each product that a channel sold in [from, to); nil: no sale of that time bears a channel.
func (s *Store) SoldIn(ctx context.Context, channel string, from, to pricing.Moment) (map[string]int64, error) {
	var borne int
	err := s.db.WithContext(ctx).Raw("SELECT EXISTS (SELECT 1 FROM sales WHERE moment >= ? AND moment < ? AND channel <> '')",
		from, to).Scan(&borne).Error
	var rows []struct {
		SKU   string
		Units int64
	}
	if err == nil && borne != 0 {
		err = s.db.WithContext(ctx).Raw(
			"SELECT sku, SUM(quantity) units FROM sales WHERE moment >= ? AND moment < ? AND channel = ? GROUP BY sku",
			from, to, channel).Scan(&rows).Error
	}
	if err != nil {
		return nil, fmt.Errorf("count what channel %q sold: %w", channel, err)
	}
	if borne == 0 {
		return nil, nil
	}
	units := make(map[string]int64, len(rows))
	for _, r := range rows {
		units[r.SKU] = r.Units
	}
	return units, nil
}

// Purchases are what a customer bought, oldest first; as it is known where nothing was added or taken since.
func (s *Store) Purchases(ctx context.Context, customer string, known book.Bought) (book.Bought, error) {
	var of struct {
		Count, Newest int64
		Sold          bool
	}
	err := s.db.WithContext(ctx).Raw(`SELECT COUNT(*) count, COALESCE(MAX(id), 0) newest, EXISTS (SELECT 1 FROM sales) sold
		FROM sales WHERE customer = ?`, customer).Scan(&of).Error
	now := book.Bought{Count: of.Count, Newest: of.Newest, Any: of.Sold}
	if err == nil && now.Count == known.Count && now.Newest == known.Newest {
		now.List = known.List
		return now, nil
	}
	if err == nil {
		err = s.db.WithContext(ctx).Raw("SELECT sku, quantity, moment at FROM sales WHERE customer = ? ORDER BY moment, id",
			customer).Scan(&now.List).Error
	}
	if err != nil {
		return known, fmt.Errorf("read what customer %q bought: %w", customer, err)
	}
	return now, nil
}

// KnownSales are the sales among some that are kept already, by their whole content.
func (s *Store) KnownSales(ctx context.Context, from, to pricing.Moment) (map[intake.SoldLine]bool, error) {
	rows, err := s.db.WithContext(ctx).Raw(
		"SELECT moment, customer, sku, quantity, paid, channel FROM sales WHERE moment >= ? AND moment <= ?", from, to).Rows()
	if err != nil {
		return nil, fmt.Errorf("read the sales: %w", err)
	}
	defer rows.Close()
	known := map[intake.SoldLine]bool{}
	for rows.Next() {
		var one intake.SoldLine
		if err := rows.Scan(&one.Moment, &one.Customer, &one.SKU, &one.Quantity, &one.Paid, &one.Channel); err != nil {
			return nil, fmt.Errorf("read the sales: %w", err)
		}
		known[one] = true
	}
	return known, s.noted(rows.Err())
}
