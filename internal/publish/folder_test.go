package publish_test

import (
	"context"
	"encoding/csv"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/publish"
)

// through connects the office's channel by a folder, and gives it.
func (o *office) through() string {
	o.t.Helper()
	folder := filepath.Join(o.t.TempDir(), "till & more")
	require.NoError(o.t, os.MkdirAll(filepath.Join(folder, "answers"), 0o755))
	require.NoError(o.t, o.store.SetLink(o.t.Context(), publish.Link{Channel: "web", Kind: "folder", Address: folder,
		GiveUpAfter: time.Minute}))
	o.sender.Wait = func(ctx context.Context, d time.Duration) bool {
		time.Sleep(time.Millisecond) // a till of this machine looks, too
		return o.wait(ctx, d)
	}
	return folder
}

// answersOnce has somebody answer a publication once it lies there.
func (o *office) answersOnce(folder, name string, rows ...string) {
	o.t.Helper()
	done := make(chan struct{})
	o.t.Cleanup(func() { <-done })
	go func() {
		defer close(done)
		for range 10_000 {
			if _, err := os.Stat(filepath.Join(folder, "in", name+".csv")); err == nil {
				says(o.t, folder, name, rows...)
				return
			}
			time.Sleep(100 * time.Microsecond)
		}
	}()
}

// says lays an answer file down.
func says(t testing.TB, folder, name string, rows ...string) {
	t.Helper()
	text := "sku,answer,message\n" + strings.Join(rows, "\n") + "\n"
	require.NoError(t, os.WriteFile(filepath.Join(folder, "answers", name+".csv"), []byte(text), 0o644))
}

// A folder's publication ends with its answer file; each line has its answer, and rules lie beside.
func TestThroughAFolder(t *testing.T) {
	o := opened(t, shop)
	folder := o.through()
	says(t, folder, "1", "A & <b>,refused,of another life") // is none of ours
	o.answersOnce(folder, "1", "A & <b>,taken,", "B,refused,\"no, <thanks>\"", "C,taken,", "a & <b>,taken,", "NOBODY'S,taken,")
	p := o.publishes(publish.Wish{})
	require.Equal(t, publish.Partly, p.State)
	require.Equal(t, publish.Counts{Total: 4, Taken: 3, Refused: 1}, p.Counts)
	data, err := os.ReadFile(filepath.Join(folder, "in", "1.csv"))
	require.NoError(t, err)
	records, err := csv.NewReader(strings.NewReader(string(data))).ReadAll()
	require.NoError(t, err)
	require.Len(t, records, 5)
	require.Equal(t, []string{"B", "\"B\" 😀", "20.00"}, records[2][:3])
	rules, err := os.ReadFile(filepath.Join(folder, "in", "1.json"))
	require.NoError(t, err)
	require.Contains(t, string(rules), `"code":"O"`)
	require.Equal(t, map[string]publish.Kind{"B": publish.New}, o.differences())

	// What is no longer sold is removed by name.
	before := *o.live.Current().Product("C")
	after := before
	after.Cost = nil
	after.List = nil
	o.savesProduct(&before, &after)
	o.answersOnce(folder, "2", "C,taken,", "B,taken,")
	require.Equal(t, publish.Done, o.publishes(publish.Wish{}).State)
	data, err = os.ReadFile(filepath.Join(folder, "in", "2.csv"))
	require.NoError(t, err)
	require.Contains(t, string(data), "C,,,,,,,,,remove")
	require.Empty(t, o.differences())
}

// Nobody who answers is waited for until it is given up. An answer that comes late counts, unless something newer named
// the product, and changes no newer version.
func TestLateAnswers(t *testing.T) {
	o := opened(t, shop)
	folder := o.through()
	late := o.publishes(publish.Wish{})
	require.Equal(t, publish.Failed, late.State)
	require.Contains(t, late.Problem, "no answer down within 1m0s")
	require.Equal(t, 4, late.Counts.Unanswered)
	require.Len(t, o.differences(), 4)
	require.NoError(t, o.sender.Late(t.Context()))
	require.Len(t, o.differences(), 4, "there is no answer yet")

	o.setList("B", "21.00")
	o.answersOnce(folder, "2", "B,taken,")
	newer := o.publishes(publish.Wish{SKUs: []string{"B"}})
	require.Equal(t, 1, newer.Counts.Taken)
	state, err := o.store.ChannelState(t.Context(), "web")
	require.NoError(t, err)
	require.EqualValues(t, 2, state.Version)

	says(t, folder, "1", "A & <b>,taken,", "B,taken,", "C,refused,no")
	require.NoError(t, o.sender.Late(t.Context()))
	require.Equal(t, map[string]publish.Answer{"A & <b>": publish.Taken, "B": publish.Unanswered, "C": publish.Refused,
		"a & <b>": publish.Unanswered}, o.answers(late.ID))
	late, err = o.store.Publication(t.Context(), late.ID)
	require.NoError(t, err)
	require.Equal(t, publish.Partly, late.State)
	require.Equal(t, publish.Counts{Total: 4, Taken: 1, Refused: 1, Unanswered: 2}, late.Counts)
	know, err := o.store.Know(t.Context(), "web", o.clock())
	require.NoError(t, err)
	require.Equal(t, "21", know.Shown["B"].Price.String(), "the newer one named it")
	require.Equal(t, "10", know.Shown["A & <b>"].Price.String())
	state, err = o.store.ChannelState(t.Context(), "web")
	require.NoError(t, err)
	require.EqualValues(t, 2, state.Version, "the newer one is the version that is published")
	require.NoError(t, o.sender.Late(t.Context()))
	again, err := o.store.Publication(t.Context(), late.ID)
	require.NoError(t, err)
	require.Equal(t, late.Counts, again.Counts, "the same file counts once")
}

// A channel that fetches a feed is sent nothing: it is published the moment its publication is.
func TestFeedLinks(t *testing.T) {
	o := opened(t, shop)
	require.NoError(t, o.store.SetLink(t.Context(), publish.Link{Channel: "web", Kind: "feed"}))
	p := o.publishes(publish.Wish{})
	require.Equal(t, publish.Done, p.State)
	require.Equal(t, 4, p.Counts.Taken)
	require.Zero(t, o.out.Asked())
	require.Empty(t, o.differences())
	lines, err := o.store.ShownLines(t.Context(), "web", o.clock(), true, "", 2)
	require.NoError(t, err)
	require.Len(t, lines, 2)
	require.JSONEq(t, `{"sku":"A & <b>","name":"=1+1","price":"10.00","currency":"EUR","tax":"included","as":"ordinary","until":"2026-11-27T09:00:00Z"}`,
		string(lines[0].Line))
}
