package store_test

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/money"
	"dogbane/internal/publish"
	"dogbane/internal/publish/telling"
	"dogbane/internal/store"
	"dogbane/internal/store/storetest"
)

// What a publication of 100,000 lines takes in the database: prepared, its parts fixed, and each answered, in parts as
// over HTTP and in one as through a folder. The baseline is one table that takes the same texts.
func BenchmarkPublication(b *testing.B) {
	const lines = 100_000
	s, err := store.Open(context.Background(), storetest.Address(b))
	require.NoError(b, err)
	defer s.Close()
	ctx, at := b.Context(), time.Date(2026, 11, 27, 10, 0, 0, 0, time.UTC)
	body := `{"sku":"%06d","name":"` + strings.Repeat("é", 300) + `","price":"%d.%02d"}`
	rows := make([]publish.Row, lines)
	answers := make(map[string]publish.Reply, lines)
	for i := range rows {
		price := money.Ratio(int64(i), 100)
		rows[i] = publish.Row{SKU: fmt.Sprintf("%06d", i), Kind: publish.New, Price: &price, Currency: "EUR",
			Line: fmt.Appendf(nil, body, i, i/100, i%100), Digest: &telling.Digest{byte(i)}}
		answers[rows[i].SKU] = publish.Reply{Taken: true}
	}
	parts := make([][]byte, lines/publish.LinesPerPart)
	for i := range rows {
		parts[i/publish.LinesPerPart] = append(parts[i/publish.LinesPerPart], rows[i].Line...)
	}
	b.Run("baseline=one-table", func(b *testing.B) {
		db := storetest.Database(b)
		for b.Loop() {
			_, err := db.Exec("CREATE OR REPLACE TABLE plain (sku VARCHAR(190) PRIMARY KEY, line MEDIUMTEXT)")
			require.NoError(b, err)
			for from := 0; from < lines; from += 2000 {
				var args []any
				for _, r := range rows[from : from+2000] {
					args = append(args, r.SKU, string(r.Line))
				}
				_, err := db.Exec("INSERT INTO plain VALUES (?,?)"+strings.Repeat(",(?,?)", 1999), args...)
				require.NoError(b, err)
			}
		}
	})
	prepare := func(b *testing.B) *publish.Publication {
		p := &publish.Publication{Channel: "web", Version: 1, At: 1, Prepared: at, Who: "wout", Kind: publish.ByHand,
			State: publish.Queued}
		require.NoError(b, s.Prepare(ctx, p, rows))
		return p
	}
	b.Run("prepare", func(b *testing.B) {
		for b.Loop() {
			prepare(b)
		}
	})
	send := func(b *testing.B, parts [][]byte) {
		b.StopTimer()
		p := prepare(b)
		mine, err := s.Claim(ctx, p.ID, "me", time.Hour)
		require.NoError(b, err)
		require.True(b, mine)
		b.StartTimer()
		require.NoError(b, s.FixParts(ctx, p.ID, "me", parts))
		began := time.Now()
		p.Parts = len(parts)
		for n := range parts {
			require.NoError(b, s.KeepAnswers(ctx, p, "me", n+1, answers, at.Add(time.Duration(p.ID)*time.Second)))
		}
		b.ReportMetric(time.Since(began).Seconds(), "s-answers/op")
		require.NoError(b, s.End(ctx, p, "me", "", at))
		require.Equal(b, lines, p.Counts.Taken)
	}
	b.Run("sent-in-parts", func(b *testing.B) {
		for b.Loop() {
			send(b, parts)
		}
	})
	b.Run("sent-in-one", func(b *testing.B) {
		var whole []byte
		for _, p := range parts {
			whole = append(whole, p...)
		}
		for b.Loop() {
			send(b, [][]byte{whole})
		}
	})
}
