package standin

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// Till is a shop till that takes price files from a folder: it reads in/NAME.csv, keeps the prices it takes, lays
// answers/NAME.csv down and moves the file to done.
type Till struct {
	Currency string
	folder   string
	file     string
	goods    map[string]Article
}

// OpenTill starts a till whose folder is watched by Watch.
func OpenTill(folder, currency string) (*Till, error) {
	t := &Till{Currency: currency, folder: folder, file: filepath.Join(folder, "till.json"), goods: map[string]Article{}}
	for _, sub := range []string{"in", "answers", "done"} {
		if err := os.MkdirAll(filepath.Join(folder, sub), 0o755); err != nil {
			return nil, fmt.Errorf("make the till's folder: %w", err)
		}
	}
	data, err := os.ReadFile(t.file)
	if err == nil {
		err = json.Unmarshal(data, &t.goods)
	} else if os.IsNotExist(err) {
		err = nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the till's prices: %w", err)
	}
	return t, nil
}

// Watch takes files until ctx ends.
func (t *Till) Watch(ctx context.Context) {
	for {
		files, _ := filepath.Glob(filepath.Join(t.folder, "in", "*.csv"))
		for _, f := range files {
			if err := t.take(f); err != nil {
				slog.Error("the till cannot take a price file", "file", filepath.Base(f), "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(150 * time.Millisecond):
		}
	}
}

func (t *Till) take(file string) error {
	name := filepath.Base(file)
	data, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	records, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
	if err != nil {
		return err
	}
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	_ = w.Write([]string{"sku", "answer", "message"})
	for i, r := range records {
		if i == 0 || len(r) != 10 {
			continue
		}
		a := Article{SKU: r[0], Name: r[1], Price: r[2], Reference: r[3], Currency: r[4]}
		said, problem := "taken", ""
		switch {
		case r[9] == "remove":
			delete(t.goods, a.SKU)
		case r[6] != "" || i > 1 && records[i-1][0] == a.SKU: // further prices of an article that was dealt with
			continue
		case strings.ContainsAny(a.SKU, " \t"):
			said, problem = "refused", "the till's keys cannot type a number with a space"
		default:
			if problem = objection(a, t.Currency); problem != "" {
				said = "refused"
			} else {
				t.goods[a.SKU] = a
			}
		}
		_ = w.Write([]string{a.SKU, said, problem})
	}
	w.Flush()
	if err := keepJSON(t.file, t.goods); err != nil {
		return err
	}
	answer := filepath.Join(t.folder, "answers", name)
	if err := os.WriteFile(answer+".part", out.Bytes(), 0o644); err != nil {
		return err
	}
	if err := os.Rename(answer+".part", answer); err != nil {
		return err
	}
	return os.Rename(file, filepath.Join(t.folder, "done", name))
}
