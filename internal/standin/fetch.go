package standin

import (
	"context"
	"encoding/csv"
	"fmt"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"time"
)

// fetching is what a shop knows of the feed that it fetches.
type fetching struct {
	fetchMu sync.Mutex // guards what follows
	etag    string
}

// Fetch has the shop show what a feed says, fetched with a key again and again until ctx ends.
func (s *Shop) Fetch(ctx context.Context, address, key string, every time.Duration) {
	for {
		if err := s.fetch(ctx, address, key); err != nil && ctx.Err() == nil {
			slog.Warn("a stand-in cannot fetch its feed", "shop", s.Name, "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(every):
		}
	}
}

// fetch reads a feed once; one that has not changed is not sent again.
func (s *Shop) fetch(ctx context.Context, address, key string) error {
	s.fetchMu.Lock()
	defer s.fetchMu.Unlock()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return err
	}
	req.Header.Set("Authorization", "Bearer "+key)
	if s.etag != "" {
		req.Header.Set("If-None-Match", s.etag)
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	switch resp.StatusCode {
	case http.StatusNotModified:
		return nil
	case http.StatusOK:
	default:
		return fmt.Errorf("its feed answers %s", resp.Status)
	}
	records, err := csv.NewReader(resp.Body).ReadAll()
	if err != nil {
		return fmt.Errorf("read the feed: %w", err)
	}
	goods := map[string]Article{}
	for i, r := range records {
		if i == 0 || len(r) < 7 {
			continue
		}
		a := Article{SKU: armed(r[0]), Name: armed(r[1]), Price: r[2], Reference: r[3], Currency: r[4]}
		if _, known := goods[a.SKU]; known || r[6] != "" || objection(a, s.Currency) != "" {
			continue // the first price of an article is that of a guest's one piece
		}
		goods[a.SKU] = a
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.goods = goods
	if err := s.writeDown(); err != nil {
		return fmt.Errorf("keep what the feed says: %w", err)
	}
	s.etag = resp.Header.Get("ETag")
	return nil
}

// armed is a cell as it was before it was disarmed for spreadsheets.
func armed(cell string) string {
	if rest, is := strings.CutPrefix(cell, "'"); is && rest != "" && strings.ContainsAny(rest[:1], "=+-@\t\r") {
		return rest
	}
	return cell
}
