package transport

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"dogbane/internal/publish/format"
)

// folderChannel takes prices as a CSV file laid into a folder, and lays its answer into another.
type folderChannel struct{ folder string }

// Folders of a folder channel.
const (
	inFolder     = "in"
	answerFolder = "answers"
)

const answerPatience = 30 * time.Second

func (c *folderChannel) Deliver(ctx context.Context, publication int64, lines []format.Line,
	answered func(map[string]format.Answer) error) error {
	name := fmt.Sprintf("prices-%06d.csv", publication)
	content, err := format.CSV(lines)
	if err != nil {
		return err
	}
	if err := layDown(filepath.Join(c.folder, inFolder), name, content); err != nil {
		return err
	}
	answers, err := c.await(ctx, filepath.Join(c.folder, answerFolder, name))
	if err != nil {
		return err
	}
	return answered(answers)
}

// layDown writes a file so that whoever watches the folder sees it whole or not at all.
func layDown(folder, name string, content []byte) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return fmt.Errorf("reach the channel's folder: %w", err)
	}
	temp := filepath.Join(folder, "."+name+".part")
	if err := os.WriteFile(temp, content, 0o644); err != nil {
		return fmt.Errorf("write into the channel's folder: %w", err)
	}
	if err := os.Rename(temp, filepath.Join(folder, name)); err != nil {
		return fmt.Errorf("write into the channel's folder: %w", err)
	}
	return nil
}

func (c *folderChannel) await(ctx context.Context, file string) (map[string]format.Answer, error) {
	deadline := time.After(answerPatience)
	for {
		f, err := os.Open(file)
		if err == nil {
			defer f.Close()
			return format.ReadCSV(f)
		}
		if !errors.Is(err, os.ErrNotExist) {
			return nil, fmt.Errorf("read the channel's answer: %w", err)
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-deadline:
			return nil, fmt.Errorf("the channel laid no answer file down within %d seconds", int(answerPatience.Seconds()))
		case <-time.After(100 * time.Millisecond):
		}
	}
}
