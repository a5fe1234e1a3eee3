package transport

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"dogbane/internal/publish/format"
)

// Folder is a channel that takes files from a folder and lays its answers into another beside it.
type Folder struct{ Path string }

func (f *Folder) name(which string, publication int64, ending string) string {
	return filepath.Join(f.Path, which, fmt.Sprintf("%d.%s", publication, ending))
}

// Lay lays the prices of a publication down, and its rules beside them: each file whole, or not at all. What lies there
// already, or was laid down and taken, stays as it is.
func (f *Folder) Lay(publication int64, lines []json.RawMessage, remove []string, rules []byte) error {
	if rules != nil {
		err := layDown(f.name("in", publication, "json"), func(to io.Writer) error {
			_, err := to.Write(rules)
			return err
		})
		if err != nil {
			return err
		}
	}
	return layDown(f.name("in", publication, "csv"), func(to io.Writer) error { return format.CSV(to, lines, remove) })
}

// layDown writes a file so that whoever watches the folder sees it whole or not at all.
func layDown(file string, write func(to io.Writer) error) error {
	folder := filepath.Dir(file)
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return fmt.Errorf("reach the channel's folder: %w", err)
	}
	name := filepath.Join(folder, "."+filepath.Base(file)+".part")
	temp, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o644)
	if err == nil {
		err = errors.Join(write(temp), temp.Close())
	}
	if err == nil {
		err = os.Rename(name, file)
	}
	if err != nil {
		return fmt.Errorf("write into the channel's folder: %w", err)
	}
	return nil
}

// Forget takes away an answer that lies there before its publication does: it is of another one with that number.
func (f *Folder) Forget(publication int64) error {
	err := os.Remove(f.name("answers", publication, "csv"))
	if err == nil || errors.Is(err, os.ErrNotExist) {
		return nil
	}
	return fmt.Errorf("take an older answer away: %w", err)
}

// Answers reads the channel's answer to a publication; nil where there is none yet.
func (f *Folder) Answers(publication int64) (map[string]format.Answer, error) {
	file, err := os.Open(f.name("answers", publication, "csv"))
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the channel's answer: %w", err)
	}
	defer file.Close()
	return format.ReadCSV(file)
}
