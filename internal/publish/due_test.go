package publish_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/publish"
	"dogbane/internal/publish/publishtest"
	"dogbane/internal/publish/telling"
)

// What is due is found shortly before its moment. Whatever happens in between, the channel is told the same as by a
// program that looks at the moment alone.
func TestWhatIsDueIsReadyBefore(t *testing.T) {
	for name, between := range map[string]func(o *office){
		"nothing happens":     func(*office) {},
		"an edit is saved":    func(o *office) { o.setList("B", "25.00") },
		"an edit is sent":     func(o *office) { o.setList("B", "25.00"); o.publishes(publish.Wish{LeaveOut: []string{"C"}}) },
		"an edit of the rule": func(o *office) { o.setOff("S", "20"); o.publishes(publish.Wish{Whole: true, LeaveOut: o.blocked()}) },
		"a line is refused": func(o *office) {
			o.out.Do(func() { o.out.Refuse = func(l telling.Line) string { return map[string]string{"B": "no"}[l.SKU] } })
			o.setList("B", "26.00")
			o.publishes(publish.Wish{})
			o.out.Do(func() { o.out.Refuse = nil })
		},
		"nobody knows what was taken": func(o *office) {
			o.out.Manner(func(int) string { return publishtest.Never })
			o.setList("B", "27.00")
			o.publishes(publish.Wish{})
			o.out.Manner(nil)
		},
		"it is reduced from something else": func(o *office) {
			require.NoError(t, o.store.SetLink(t.Context(), publish.Link{Channel: "web", Kind: "http", Address: o.out.Address(), Token: "secret",
				Sends: "on-the-minute", Approval: "none", GiveUpAfter: time.Minute, Reference: telling.List}))
		},
	} {
		t.Run(name, func(t *testing.T) {
			var told [2][]publish.Row
			var said [2]publish.Named
			for i, looks := range []bool{false, true} {
				o := opened(t, shop)
				o.onTheMinute()
				o.publishes(publish.Wish{})
				s := o.scheduled()
				o.wait(t.Context(), 24*time.Hour-40*time.Second)
				if looks {
					require.NoError(t, s.Look(t.Context()))
				}
				published := len(o.publications())
				between(o)
				own := len(o.publications()) - published
				o.wait(t.Context(), time.Date(2026, 11, 27, 9, 0, 1, 0, time.UTC).Sub(o.clock()))
				require.NoError(t, s.Look(t.Context()))
				require.NoError(t, o.sender.Look(t.Context()))
				o.sender.Idle()
				list := o.publications()
				require.Len(t, list, published+own+1)
				require.Equal(t, publish.Due, list[0].Kind)
				rows, err := o.store.Rows(t.Context(), list[0].ID, "", 0)
				require.NoError(t, err)
				told[i], said[i] = rows, list[0].Named
				require.NotEmpty(t, rows)
				o.agrees(0)
			}
			require.Equal(t, told[0], told[1])
			require.Equal(t, said[0], said[1])
		})
	}
}
