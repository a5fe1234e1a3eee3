package pricing

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// A window that two meet in is open exactly where both are.
func TestWindowsMeet(t *testing.T) {
	random, met := rand.New(rand.NewPCG(3, 5)), 0
	begin := at(t, "2026-11-20T00:00")
	for range 4000 {
		a, b := randomWindow(random), randomWindow(random)
		if random.IntN(3) == 0 {
			b.Hours, b.Weekly = nil, nil
		}
		both, ok := a.Meet(b)
		open := 0
		for range 60 {
			m := begin + Moment(random.IntN(60*24*60))*Minute
			want := a.Open(m) && b.Open(m)
			if want {
				open++
			}
			if ok {
				require.Equal(t, want, both.Open(m), "%+v and %+v at %s", a, b, m)
			}
		}
		if ok && open > 0 {
			met++
		}
	}
	require.Greater(t, met, 300)
	w := randomWindow(random)
	both, ok := w.Meet(nil)
	require.True(t, ok)
	require.Equal(t, w, both)
}

// An audience that two meet in holds exactly whom both hold.
func TestAudiencesMeet(t *testing.T) {
	random, met, refused := rand.New(rand.NewPCG(4, 5)), 0, 0
	some := func(of ...string) (list []string) {
		for _, one := range of {
			if random.IntN(3) == 0 {
				list = append(list, one)
			}
		}
		return list
	}
	flag := func() *bool {
		b := random.IntN(2) == 0
		if random.IntN(3) > 0 {
			return nil
		}
		return &b
	}
	audience := func() *Audience {
		a := &Audience{Groups: some("g", "h"), Customers: some("C", "D"), Countries: some("NL", "BE"), FirstOrder: flag(),
			SignedIn: flag()}
		if list := some("north", "south"); list != nil {
			a.CustomerAttr = map[string][]string{"region": list}
		}
		return a
	}
	for range 4000 {
		a, b := audience(), audience()
		both, ok := a.Meet(b)
		held := 0
		for range 40 {
			who := &visitor{groups: some("g", "h"), country: []string{"NL", "BE", "DE"}[random.IntN(3)],
				attrs: map[string]string{"region": []string{"north", "south", "east"}[random.IntN(3)]}, firstOrder: random.IntN(2) == 0,
				signedIn: random.IntN(2) == 0}
			if random.IntN(2) == 0 {
				who.customer = &Customer{Code: []string{"C", "D", "E"}[random.IntN(3)]}
			}
			want := a.admits(who) && b.admits(who)
			if want {
				held++
			}
			if ok {
				require.Equal(t, want, both.admits(who), "%+v and %+v: %+v", a, b, who)
			}
		}
		if ok && held > 0 {
			met++
		} else if held > 0 {
			refused++
		}
	}
	require.Greater(t, met, 1000)
	require.Less(t, refused, met, "what cannot be said is the exception")
	everyone, ok := (*Audience)(nil).Meet(nil)
	require.True(t, ok)
	require.Nil(t, everyone)
}
