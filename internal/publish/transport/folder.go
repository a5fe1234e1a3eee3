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

// Lay lays the prices of a publication down, and its rules beside them: all whole, or nothing. What lies there already,
// or was laid down and taken, stays as it is.
func (f *Folder) Lay(publication int64, lines []json.RawMessage, remove []string, rules []byte) error {
	var files []laid
	if rules != nil {
		files = append(files, laid{f.name("in", publication, "json"), func(to io.Writer) error {
			_, err := to.Write(rules)
			return err
		}})
	}
	return layDown(append(files, laid{f.name("in", publication, "csv"), func(to io.Writer) error {
		return format.CSV(to, lines, remove)
	}}))
}

// laid is a file, and how it is written.
type laid struct {
	file  string
	write func(to io.Writer) error
}

// hidden is where a file lies until it is whole.
func (l *laid) hidden() string {
	return filepath.Join(filepath.Dir(l.file), "."+filepath.Base(l.file)+".part")
}

// layDown writes files so that whoever watches the folder sees each whole or not at all, and none before all are
// written; in their order.
func layDown(files []laid) error {
	var err error
	for i := range files {
		l := &files[i]
		defer os.Remove(l.hidden()) // as far as it came, where it broke off
		if err := os.MkdirAll(filepath.Dir(l.file), 0o755); err != nil {
			return fmt.Errorf("reach the channel's folder: %w", err)
		}
		var to *os.File
		if to, err = os.OpenFile(l.hidden(), os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o644); err == nil {
			err = errors.Join(l.write(to), to.Close())
		}
		if err != nil {
			break
		}
	}
	for i := 0; i < len(files) && err == nil; i++ {
		err = os.Rename(files[i].hidden(), files[i].file)
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
