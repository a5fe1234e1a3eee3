package store

import (
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"dogbane/internal/book"
)

// Stock and units sold of products change far more often than the rest of them. They are kept in a table of their own
// and joined to the products' documents when the book is loaded.

// measures are a product's stock and units sold, as documents write them; nil: unknown.
type measures struct {
	SKU string `gorm:"column:sku;primaryKey"`
	book.Quantities
}

func (measures) TableName() string { return "measures" }

// measuresOf are those kept of some products.
func measuresOf(tx *gorm.DB, skus []string) (map[string]measures, error) {
	var rows []measures
	if err := tx.Where("sku IN ?", skus).Find(&rows).Error; err != nil {
		return nil, err
	}
	now := make(map[string]measures, len(rows))
	for _, r := range rows {
		now[r.SKU] = r
	}
	return now, nil
}

// keepMeasures writes those of some products; rows without any go.
func keepMeasures(tx *gorm.DB, list []measures) error {
	var rows []measures
	var gone []string
	for _, m := range list {
		if m.Stock == nil && m.Sold == nil {
			gone = append(gone, m.SKU)
		} else {
			rows = append(rows, m)
		}
	}
	if len(gone) > 0 {
		if err := tx.Where("sku IN ?", gone).Delete(&measures{}).Error; err != nil {
			return err
		}
	}
	if len(rows) == 0 {
		return nil
	}
	return tx.Clauses(clause.OnConflict{DoUpdates: clause.AssignmentColumns([]string{"stock",
		"sold"})}).CreateInBatches(&rows, batchSize).Error
}
