package store_test

import (
	"database/sql"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/pricing"
	"dogbane/internal/pricing/pricingtest"
	"dogbane/internal/store/storetest"
)

// BenchmarkBaselineMariaDB prices with one set-based query what SQL can express: percent rules on categories, SKU lists
// and everything, the first or the lowest of a layer, for six groups. The engine's prices of the same book stand beside
// it.
func BenchmarkBaselineMariaDB(b *testing.B) {
	const products = 10_000
	book := pricingtest.Large(products)
	var kept []pricing.Rule
	for _, r := range book.Rules {
		plain := r.Effect != nil && (r.Effect.Kind == pricing.PercentOff || r.Effect.Kind == pricing.PercentOn) &&
			r.Ending == nil && r.Floor == nil && r.MaxOff == nil
		everything := r.Where.Field == pricing.FieldAll && len(r.Where.Parts) == 0
		if plain && (everything || r.Where.Field == pricing.FieldCategory || r.Where.Field == pricing.FieldSKU) &&
			r.Layer != pricing.Promotion {
			kept = append(kept, r)
		}
	}
	book.Rules = kept
	db := storetest.Database(b)
	exec := func(statement string, args ...any) {
		_, err := db.Exec(statement, args...)
		require.NoError(b, err)
	}
	exec("CREATE TABLE goods (id INT PRIMARY KEY, sku VARCHAR(40) COLLATE utf8mb4_bin NOT NULL UNIQUE, category VARCHAR(40) COLLATE utf8mb4_bin NOT NULL, list DECIMAL(20,4) NOT NULL, KEY (category))")
	exec("CREATE TABLE rules (code VARCHAR(40) PRIMARY KEY, layer VARCHAR(20), place INT, factor DECIMAL(10,6), audience VARCHAR(20))")
	exec("CREATE TABLE selects (code VARCHAR(40), sku VARCHAR(40) COLLATE utf8mb4_bin, low VARCHAR(40) COLLATE utf8mb4_bin, high VARCHAR(40) COLLATE utf8mb4_bin, KEY (code), KEY (sku))")
	exec("CREATE TABLE buyers (name VARCHAR(20) PRIMARY KEY)")
	e := pricing.Compile(book)
	var rows []string
	for p, product := range e.Products() {
		rows = append(rows, fmt.Sprintf("(%d,'%s','%s',%s)", p, product.SKU, product.Category, product.List.Fixed(2)))
	}
	exec("INSERT INTO goods VALUES " + strings.Join(rows, ","))
	for _, r := range book.Rules {
		factor := money.Int(1).Sub(money.PercentOf(r.Effect.Value))
		if r.Effect.Kind == pricing.PercentOn {
			factor = money.Int(1).Add(money.PercentOf(r.Effect.Value))
		}
		audience := sql.NullString{}
		if r.Audience != nil {
			audience = sql.NullString{String: r.Audience.Groups[0], Valid: true}
		}
		exec("INSERT INTO rules VALUES (?,?,?,?,?)", r.Code, r.Layer.String(), r.Rank, factor.Fixed(6), audience)
		if r.Where.Field == pricing.FieldAll {
			exec("INSERT INTO selects VALUES (?,NULL,'','~')", r.Code)
		}
		for _, v := range r.Where.Values {
			if r.Where.Field == pricing.FieldSKU {
				exec("INSERT INTO selects VALUES (?,?,NULL,NULL)", r.Code, v)
			} else {
				exec("INSERT INTO selects VALUES (?,NULL,?,?)", r.Code, v, v+"0") // '0' follows '/'
			}
		}
	}
	for _, group := range pricingtest.LargeGroups {
		exec("INSERT INTO buyers VALUES (?)", group)
	}
	query := `WITH
		reach AS (SELECT DISTINCT s.code, g.id FROM selects s JOIN goods g ON g.category >= s.low AND g.category < s.high
			UNION SELECT s.code, g.id FROM selects s JOIN goods g ON g.sku = s.sku),
		c AS (SELECT id, factor FROM (SELECT x.id, r.factor, ROW_NUMBER() OVER (PARTITION BY x.id ORDER BY r.place) n FROM reach x JOIN rules r ON r.code = x.code AND r.layer = 'catalog') t WHERE n = 1),
		s AS (SELECT x.id, MIN(r.factor) factor FROM reach x JOIN rules r ON r.code = x.code AND r.layer = 'sale' GROUP BY x.id),
		q AS (SELECT id, audience, factor FROM (SELECT x.id, r.audience, r.factor, ROW_NUMBER() OVER (PARTITION BY x.id, r.audience ORDER BY r.place) n FROM reach x JOIN rules r ON r.code = x.code AND r.layer = 'group') t WHERE n = 1)
		SELECT b.name, g.id, ROUND(g.list * COALESCE(c.factor, 1) * COALESCE(s.factor, 1) * COALESCE(q.factor, 1), 2)
		FROM goods g CROSS JOIN buyers b LEFT JOIN c ON c.id = g.id LEFT JOIN s ON s.id = g.id LEFT JOIN q ON q.id = g.id AND q.audience = b.name`
	sweeps := map[string]*pricing.Sweep{}
	for _, group := range pricingtest.LargeGroups {
		sw, err := e.Sweep(pricing.Viewpoint{At: pricingtest.Noon, Channel: "web", Groups: []string{group}})
		require.NoError(b, err)
		sweeps[group] = sw
	}
	var vps []pricing.Viewpoint
	for _, group := range pricingtest.LargeGroups {
		vps = append(vps, pricing.Viewpoint{At: pricingtest.Noon, Channel: "web", Groups: []string{group}})
	}
	measure := func(name string, work func(b *testing.B)) {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				work(b)
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(products*len(vps)), "ns/price")
			b.ReportMetric(float64(len(book.Rules)), "rules")
		})
	}
	measure("engine", func(b *testing.B) {
		_, err := e.Sweeps(vps)
		require.NoError(b, err)
	})
	measure("query", func(b *testing.B) {
		result, err := db.Query(query)
		require.NoError(b, err)
		n := 0
		for result.Next() {
			var group, price string
			var id int32
			require.NoError(b, result.Scan(&group, &id, &price))
			want, _ := sweeps[group].Price(id)
			if money.FormatMinor(want, 2) != price {
				b.Fatalf("product %d for %s: the engine says %d, the query %s", id, group, want, price)
			}
			n++
		}
		require.NoError(b, result.Err())
		require.Equal(b, products*len(pricingtest.LargeGroups), n)
	})
}
