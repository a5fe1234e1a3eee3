package store

import (
	"bytes"
	"context"
	"database/sql"
	"fmt"

	"github.com/pressly/goose/v3"

	"dogbane/internal/book"
	"dogbane/internal/bookfile"
)

// repairs are the migrations that SQL cannot express. Like the others they can be repeated.
func repairs() []*goose.Migration {
	return []*goose.Migration{goose.NewGoMigration(5, &goose.GoFunc{RunTx: rewritePieces},
		&goose.GoFunc{RunTx: func(context.Context, *sql.Tx) error { return nil }})}
}

// rewritePieces writes every stored piece as the encoder writes it today. Earlier versions could bring a piece back, by
// an undo, with its &, < and > escaped, and took it for another from then on. Pieces that cannot be read stay as they
// are.
func rewritePieces(ctx context.Context, tx *sql.Tx) error {
	type piece struct{ kind, code, doc string }
	var wrong []piece
	rows, err := tx.QueryContext(ctx,
		"SELECT kind, code, doc FROM items UNION ALL SELECT 'settings', '', settings FROM book")
	if err != nil {
		return fmt.Errorf("read the pieces: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var p piece
		if err := rows.Scan(&p.kind, &p.code, &p.doc); err != nil {
			return fmt.Errorf("read the pieces: %w", err)
		}
		if doc, err := bookfile.Canonical(p.kind, []byte(p.doc)); err == nil && !bytes.Equal(doc, []byte(p.doc)) {
			wrong = append(wrong, piece{p.kind, p.code, string(doc)})
		}
	}
	if err := rows.Err(); err != nil {
		return fmt.Errorf("read the pieces: %w", err)
	}
	for _, p := range wrong {
		if p.kind == book.Settings {
			_, err = tx.ExecContext(ctx, "UPDATE book SET settings = ?", p.doc)
		} else {
			_, err = tx.ExecContext(ctx, "UPDATE items SET doc = ? WHERE kind = ? AND code = ?", p.doc, p.kind, p.code)
		}
		if err != nil {
			return fmt.Errorf("write %s %q anew: %w", p.kind, p.code, err)
		}
	}
	return nil
}
