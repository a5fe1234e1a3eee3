package transport

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"dogbane/internal/publish/format"
)

// Folder is a channel that takes files from a folder and lays its answers into another beside it. What lies there is
// somebody else's: nothing outside the folder is touched, whatever a link in it says, and nothing but plain files is
// opened.
type Folder struct{ Path string }

const (
	folderPatience = 20 * time.Second // as long as a folder on another machine may need for what is asked of it
	largestAnswer  = 64 << 20         // bytes of an answer file
)

// ErrHangs says that a folder does not answer, such as one of a machine that is away.
var ErrHangs = errors.New("the channel's folder does not answer")

// places are the folders that are in use, by path. One thing at a time is done in each.
var places sync.Map // of *place

type place struct {
	turn  chan struct{}
	hangs atomic.Bool // what was begun there has not come back in time
}

// within does something in the folder, and gives up waiting after a while. What hangs goes on alone; until it ends
// nobody else is kept waiting.
func (f *Folder) within(do func(root *os.Root) error) error {
	found, _ := places.LoadOrStore(f.Path, &place{turn: make(chan struct{}, 1)})
	p := found.(*place)
	if p.hangs.Load() {
		return ErrHangs
	}
	late := time.After(folderPatience)
	select {
	case p.turn <- struct{}{}:
	case <-late:
		return ErrHangs
	}
	done := make(chan error, 1)
	go func() {
		done <- f.opened(do)
		p.hangs.Store(false)
		<-p.turn
	}()
	select {
	case err := <-done:
		return err
	case <-late:
		p.hangs.Store(true)
		select {
		case err := <-done: // it came back just now, perhaps before it was said to hang
			p.hangs.Store(false)
			return err
		default:
			return fmt.Errorf("%w within %s", ErrHangs, folderPatience)
		}
	}
}

func (f *Folder) opened(do func(root *os.Root) error) error {
	if err := os.MkdirAll(f.Path, 0o755); err != nil {
		return fmt.Errorf("reach the channel's folder: %w", err)
	}
	root, err := os.OpenRoot(f.Path)
	if err != nil {
		return fmt.Errorf("reach the channel's folder: %w", err)
	}
	defer root.Close()
	return do(root)
}

func name(which string, publication int64, ending string) string {
	return path.Join(which, fmt.Sprintf("%d.%s", publication, ending))
}

// Lay lays the prices of a publication down, and its rules beside them: all whole, or nothing. What lies there already,
// or was laid down and taken, stays as it is.
func (f *Folder) Lay(publication int64, lines []json.RawMessage, remove []string, rules []byte) error {
	var files []laid
	if rules != nil {
		files = append(files, laid{name("in", publication, "json"), func(to io.Writer) error {
			_, err := to.Write(rules)
			return err
		}})
	}
	files = append(files, laid{name("in", publication, "csv"), func(to io.Writer) error {
		return format.CSV(to, lines, remove)
	}})
	return f.within(func(root *os.Root) error { return layDown(root, files) })
}

// laid is a file, and how it is written.
type laid struct {
	file  string
	write func(to io.Writer) error
}

// hidden is where a file lies until it is whole.
func (l *laid) hidden() string {
	return path.Join(path.Dir(l.file), "."+path.Base(l.file)+".part")
}

// layDown writes files so that whoever watches the folder sees each whole or not at all, and none before all are
// written; in their order.
func layDown(root *os.Root, files []laid) error {
	var err error
	for i := range files {
		l := &files[i]
		defer root.Remove(l.hidden()) // as far as it came, where it broke off
		if err := root.MkdirAll(path.Dir(l.file), 0o755); err != nil {
			return fmt.Errorf("reach the channel's folder: %w", err)
		}
		// What was left of an earlier try goes; what is put there instead, such as a link, is not written into.
		if err = root.Remove(l.hidden()); err != nil && !errors.Is(err, fs.ErrNotExist) {
			break
		}
		var to *os.File
		if to, err = root.OpenFile(l.hidden(), os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644); err == nil {
			err = errors.Join(l.write(to), to.Sync(), to.Close())
		}
		if err != nil {
			break
		}
	}
	for i := 0; i < len(files) && err == nil; i++ {
		err = root.Rename(files[i].hidden(), files[i].file)
	}
	if err != nil {
		return fmt.Errorf("write into the channel's folder: %w", err)
	}
	return nil
}

// Forget takes away an answer that lies there before its publication does: it is of another one with that number.
func (f *Folder) Forget(publication int64) error {
	err := f.within(func(root *os.Root) error { return root.Remove(name("answers", publication, "csv")) })
	if err == nil || errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return fmt.Errorf("take an older answer away: %w", err)
}

// Answers reads the channel's answer to a publication; nil where there is none yet.
func (f *Folder) Answers(publication int64) (map[string]format.Answer, error) {
	found := make(chan map[string]format.Answer, 1) // what hangs may still write when nobody waits
	if err := f.within(func(root *os.Root) error {
		answers, err := readAnswers(root, name("answers", publication, "csv"))
		if err == nil {
			found <- answers
		} else if !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("read the channel's answer: %w", err)
		} else {
			found <- nil
		}
		return nil
	}); err != nil {
		return nil, err
	}
	return <-found, nil
}

func readAnswers(root *os.Root, file string) (map[string]format.Answer, error) {
	plain := func(about fs.FileInfo, err error) (fs.FileInfo, error) {
		if err == nil && !about.Mode().IsRegular() { // a link, a device, a pipe into which nobody writes
			err = errors.New("it is no plain file")
		}
		return about, err
	}
	listed, err := plain(root.Lstat(file))
	if err != nil {
		return nil, err
	}
	from, err := root.OpenFile(file, os.O_RDONLY|syscall.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	defer from.Close()
	about, err := plain(from.Stat())
	switch {
	case err != nil:
		return nil, err
	case !os.SameFile(listed, about):
		return nil, errors.New("it was exchanged while it was opened")
	case about.Size() > largestAnswer:
		return nil, fmt.Errorf("it has %d bytes, more than %d", about.Size(), int64(largestAnswer))
	}
	return format.ReadCSV(io.LimitReader(from, largestAnswer))
}

// Try reports whether files can be laid down in the folder.
func (f *Folder) Try() error {
	return f.within(func(root *os.Root) error {
		if err := root.Mkdir("in", 0o755); err != nil && !errors.Is(err, fs.ErrExist) {
			return err
		}
		probe := path.Join("in", ".probe-"+rand.Text())
		file, err := root.OpenFile(probe, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
		if err != nil {
			return err
		}
		return errors.Join(file.Close(), root.Remove(probe))
	})
}
