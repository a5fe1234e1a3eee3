package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"dogbane/internal/publish/sending"
	"dogbane/internal/store"
)

func restoreCommand() *cobra.Command {
	var data string
	cmd := &cobra.Command{Use: "restore", Args: cobra.NoArgs,
		Short: "Say that the data was put back from a copy: publications get new numbers, channels are compared first",
		RunE: func(cmd *cobra.Command, _ []string) error {
			return withStore(cmd.Context(), data, func(s *store.Store) error {
				next, err := s.PutBack(cmd.Context(), time.Now())
				if err == nil {
					fmt.Printf("Publications are numbered from %d on. Each channel that can be asked what it shows is compared first.\n", next)
				}
				return err
			})
		}}
	cmd.Flags().StringVar(&data, "data", "data", "where the data is kept")
	return cmd
}

const highestFile = "highest-publication"

// highest is the highest number of a publication that was ever sent from here, noted beside the database: one that was
// put back from a copy knows of none later.
type highest struct {
	file string
	mu   sync.Mutex
	is   int64
}

func openHighest(data string) (*highest, error) {
	h := &highest{file: filepath.Join(data, highestFile)}
	text, err := os.ReadFile(h.file)
	if errors.Is(err, os.ErrNotExist) {
		return h, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the highest number of a publication: %w", err)
	}
	if h.is, err = strconv.ParseInt(strings.TrimSpace(string(text)), 10, 64); err != nil {
		slog.Warn("the noted number of a publication cannot be read", "file", h.file, "error", err)
		h.is = 0
	}
	return h, nil
}

// note keeps a number that is about to be sent.
func (h *highest) note(id int64) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	if id <= h.is {
		return nil
	}
	if err := os.MkdirAll(filepath.Dir(h.file), 0o755); err != nil {
		return fmt.Errorf("note the number of a publication: %w", err)
	}
	part := h.file + ".part"
	f, err := os.Create(part)
	if err == nil {
		_, err = fmt.Fprintln(f, id)
		err = errors.Join(err, f.Sync(), f.Close())
	}
	if err == nil {
		err = os.Rename(part, h.file)
	}
	if err != nil {
		return fmt.Errorf("note the number of a publication: %w", err)
	}
	h.is = id
	return nil
}

// seesRestored has numbers go on where the database knows of fewer publications than were sent from here.
func seesRestored(ctx context.Context, s *store.Store, h *highest) error {
	next, err := s.NextPublication(ctx)
	if err != nil || h.is < next {
		return err
	}
	next, err = s.PutBack(ctx, time.Now())
	if err != nil {
		return err
	}
	slog.Warn("the database was put back from a copy: publications are numbered anew, and channels are compared before anything is sent",
		"sent", h.is, "next", next)
	return nil
}

// comparesFirst holds what a channel shows against what it took, where that has to be known before it is sent anything.
func comparesFirst(ctx context.Context, s *store.Store, c *sending.Comparer, channel string) error {
	has, err := s.ComparesFirst(ctx, channel)
	if err != nil || !has {
		return err
	}
	drifts, err := c.CompareFirst(ctx, channel)
	if err != nil {
		return fmt.Errorf("compare what channel %q shows before anything is sent: %w", channel, err)
	}
	slog.Info("compared after the data was put back", "channel", channel, "differs", len(drifts))
	return s.ComparedFirst(ctx, channel)
}
