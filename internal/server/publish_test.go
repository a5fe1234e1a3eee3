package server_test

import (
	"fmt"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/publish/publishtest"
	"dogbane/internal/store"
)

type published struct {
	ID                                               int64
	Channel, State, Kind, Problem, Who, Reason, Next string
	Of, Version                                      int64
	Lines, Taken, Refused, Unanswered, LeftOut       int
	Answers                                          []struct {
		SKU, Price, Answer, Message, Override string
	}
}

type differences struct {
	Version              int64
	Total, Blocked, Held int
	Connected            bool
	Rows                 []struct {
		SKU     string
		Blocked []struct{ Kind string }
		Held    bool
		Pieces  []string
	}
	Pieces []piece
	Next   string
}

// piece is one that differs in a channel.
type piece struct {
	Piece, Name, Change string
	Lines, Products     int
	Later               []struct {
		At    string
		Lines int
	}
	Held, Chosen bool
	With         []string
}

// link connects a channel of the outside.
func (a *api) link(more object) *publishtest.Channel {
	a.t.Helper()
	out := publishtest.Open(a.t)
	doc := object{"kind": "http", "address": out.Address(), "token": "secret"}
	for k, v := range more {
		doc[k] = v
	}
	a.do("PUT", "/api/links/web", doc, 204, nil)
	return out
}

func (a *api) ends(id int64) (p published) {
	a.t.Helper()
	require.Eventually(a.t, func() bool {
		p = published{}
		a.do("GET", fmt.Sprintf("/api/publications/%d?limit=10000", id), nil, 200, &p)
		return p.State != "queued" && p.State != "sending"
	}, 30*time.Second, 5*time.Millisecond)
	return p
}

// blocked are the differences of the web shop, and the SKUs that need a decision.
func (a *api) blocked() (d differences, skus []string) {
	a.t.Helper()
	a.do("GET", "/api/channels/web/differences?limit=10000", nil, 200, &d)
	for _, r := range d.Rows {
		if len(r.Blocked) > 0 {
			skus = append(skus, r.SKU)
		}
	}
	return d, skus
}

// A link is written by an administrator, and its token never read back; whatever is wrong with it is said at its place.
func TestLinks(t *testing.T) {
	a := started(t, store.Administrator)
	a.do("GET", "/api/links/web", nil, 404, nil)
	out := publishtest.Open(t)
	a.do("PUT", "/api/links/web", object{"kind": "http", "address": out.Address(), "token": "secret", "sends": "on-the-minute",
		"approval": object{"overPercent": "7.5"}, "giveUpAfter": "90m", "compare": "2h", "reference": "rrp"}, 204, nil)
	var text strings.Builder
	for _, path := range []string{"/api/links/web", "/api/links"} {
		_, said := a.raw("GET", path, nil)
		text.WriteString(said)
	}
	require.NotContains(t, text.String(), "secret")
	var link struct {
		Kind, Address, Sends, GiveUpAfter, Compare, Reference string
		Token                                                 bool
		Approval                                              struct{ OverPercent string }
	}
	a.do("GET", "/api/links/web", nil, 200, &link)
	require.True(t, link.Token)
	require.Equal(t, []string{"http", out.Address(), "on-the-minute", "1h30m", "2h", "rrp", "7.5"}, []string{link.Kind, link.Address,
		link.Sends, link.GiveUpAfter, link.Compare, link.Reference, link.Approval.OverPercent})

	works := func(doc object) string {
		var tried struct {
			Works   bool
			Problem string
		}
		a.do("POST", "/api/links/web/try", doc, 200, &tried)
		require.Equal(t, tried.Works, tried.Problem == "")
		return tried.Problem
	}
	same := object{"kind": "http", "address": out.Address() + "/"}
	require.Empty(t, works(same), "the token is kept for the same host")
	require.Contains(t, works(object{"kind": "http", "address": out.Address(), "token": "guess"}), "401")
	require.Contains(t, works(object{"kind": "http", "address": "http://127.0.0.1:1"}), "cannot be reached")
	elsewhere := publishtest.Open(t)
	require.Contains(t, works(object{"kind": "http", "address": elsewhere.Address()}), "401", "the token goes to no other host")
	a.do("PUT", "/api/links/web", object{"kind": "http", "address": out.Address(), "token": ""}, 204, nil)
	require.Contains(t, works(same), "401", "it was cleared")

	for _, tc := range []struct {
		at  string
		doc object
	}{
		{"kind", object{"kind": "pigeon"}}, {"kind", object{}}, {"address", object{"kind": "http"}},
		{"address", object{"kind": "http", "address": "ftp://x.example"}}, {"address", object{"kind": "http", "address": "javascript:alert(1)"}},
		{"address", object{"kind": "folder", "address": "/etc"}}, {"sends", object{"kind": "feed", "sends": "daily"}},
		{"approval", object{"kind": "feed", "approval": "sometimes"}}, {"approval.overPercent", object{"kind": "feed", "approval": object{"overPercent": "ten"}}},
		{"approval.overPercent", object{"kind": "feed", "approval": object{"overPercent": "-1"}}},
		{"giveUpAfter", object{"kind": "feed", "giveUpAfter": "soon"}}, {"giveUpAfter", object{"kind": "feed", "giveUpAfter": "1ms"}},
		{"compare", object{"kind": "feed", "compare": "1s"}}, {"reference", object{"kind": "feed", "reference": "lowest"}},
	} {
		var p problem
		a.do("PUT", "/api/links/web", tc.doc, 422, &p)
		require.Equal(t, tc.at, p.Errors[0].Location, "%v", tc.doc)
	}
	a.do("PUT", "/api/links/nowhere", object{"kind": "feed"}, 404, nil)
	folders := t.TempDir()
	t.Setenv("DOGBANE_FOLDERS", folders)
	a.do("PUT", "/api/links/web", object{"kind": "folder", "address": folders + "/../outside"}, 422, nil)
	a.do("PUT", "/api/links/web", object{"kind": "folder", "address": folders}, 422, nil)
	require.Empty(t, works(object{"kind": "folder", "address": folders + "/till & <1>"}))
	a.do("PUT", "/api/links/web", object{"kind": "folder", "address": folders + "/till & <1>"}, 204, nil)
	a.do("DELETE", "/api/links/web", nil, 204, nil)
	a.do("GET", "/api/links/web", nil, 404, nil)
	manager := a.as("maren", store.Manager)
	manager.do("PUT", "/api/links/web", object{"kind": "feed"}, 403, nil)
	manager.do("POST", "/api/links/web/try", object{"kind": "feed"}, 403, nil)
}

// A publication goes through its states by the API: who may do what, what is refused and where, and what it tells.
func TestPublications(t *testing.T) {
	a := started(t, store.Approver)
	manager, reader, second := a.as("maren", store.Manager), a.as("tessel", store.Reader), a.as("wout", store.Approver)
	publications := "/api/channels/web/publications"
	d, blocked := a.blocked()
	require.NotEmpty(t, blocked)
	require.False(t, d.Connected)
	var p problem
	a.do("POST", publications, object{"version": d.Version, "leaveOut": blocked}, 409, &p)
	require.Contains(t, p.Detail, "not connected")
	out := a.as("boss", store.Administrator).link(object{"approval": "always"})

	a.do("POST", publications, object{"version": d.Version + 1, "leaveOut": blocked}, 409, nil)
	a.do("POST", publications, object{"version": d.Version}, 409, &p)
	require.Len(t, p.Errors, len(blocked))
	require.Contains(t, blocked, p.Errors[0].Location)
	reader.do("POST", publications, object{"version": d.Version, "leaveOut": blocked}, 403, nil)
	override := object{"version": d.Version, "overrides": object{blocked[0]: "end of <stock>"}, "leaveOut": blocked[1:]}
	manager.do("POST", publications, override, 403, nil)
	for _, blank := range []string{"", "  ", strings.Repeat("x", 501)} {
		a.do("POST", publications, object{"version": d.Version, "overrides": object{blocked[0]: blank}, "leaveOut": blocked[1:]}, 422, &p)
		require.Equal(t, "overrides."+blocked[0], p.Errors[0].Location)
	}
	a.do("POST", "/api/channels/nowhere/publications", object{"version": d.Version}, 409, nil)

	var one published
	a.do("POST", publications, override, 201, &one)
	require.Equal(t, []any{"prepared", "by-hand", "me", "web"}, []any{one.State, one.Kind, one.Who, one.Channel})
	at := fmt.Sprintf("/api/publications/%d", one.ID)
	a.do("POST", at+"/approve", object{}, 403, nil)
	second.do("POST", at+"/approve", object{}, 409, nil)
	a.do("POST", at+"/send", object{}, 202, &one)
	require.Equal(t, "waiting", one.State)
	a.do("POST", at+"/send", object{}, 409, nil)
	second.do("DELETE", at, nil, 403, nil)
	manager.do("POST", at+"/approve", object{}, 403, nil)
	a.do("POST", at+"/refuse", object{"reason": "mine"}, 403, nil)
	second.do("POST", at+"/refuse", object{"reason": " "}, 422, nil)
	second.do("POST", at+"/refuse", object{"reason": "not <now>"}, 200, &one)
	require.Equal(t, []string{"refused", "not <now>"}, []string{one.State, one.Reason})
	require.Empty(t, out.Prices())

	a.do("POST", publications, override, 201, &one)
	at = fmt.Sprintf("/api/publications/%d", one.ID)
	a.do("POST", at+"/send", object{}, 202, nil)
	second.do("POST", at+"/approve", object{}, 202, &one)
	done := a.ends(one.ID)
	require.Equal(t, "done", done.State, done.Problem)
	require.Equal(t, done.Lines, len(out.Prices()))
	require.Equal(t, len(blocked)-1, done.LeftOut)
	for _, r := range done.Answers {
		if r.SKU == blocked[0] {
			require.Equal(t, []string{"taken", "end of <stock>"}, []string{r.Answer, r.Override})
		}
	}
	var page published
	a.do("GET", at+"?limit=7", nil, 200, &page)
	require.Len(t, page.Answers, 7)
	require.Equal(t, page.Answers[6].SKU, page.Next)
	a.do("GET", at+"?limit=7&after="+page.Next, nil, 200, &page)
	require.Greater(t, page.Answers[0].SKU, done.Answers[6].SKU)
	a.do("POST", publications, object{"version": d.Version, "leaveOut": blocked}, 409, &p)
	require.Contains(t, p.Detail, "already has")
	var shown struct {
		Lines []struct {
			SKU, Price  string
			Publication int64
		}
		Next string
	}
	a.do("GET", "/api/channels/web/shown?limit=3", nil, 200, &shown)
	require.Len(t, shown.Lines, 3)
	require.Equal(t, one.ID, shown.Lines[0].Publication)
	require.Equal(t, out.Prices()[shown.Lines[0].SKU], shown.Lines[0].Price)
	a.do("GET", "/api/channels/nowhere/shown", nil, 404, nil)

	// Taken back by one, agreed to by another; held until it is let go.
	var back published
	a.do("POST", at+"/rest", object{}, 409, nil)
	manager.do("POST", at+"/take-back", object{}, 201, &back)
	require.Equal(t, []any{"prepared", "take-back", one.ID}, []any{back.State, back.Kind, back.Of})
	manager.do("DELETE", fmt.Sprintf("/api/publications/%d", back.ID), nil, 204, nil)
	manager.do("POST", at+"/take-back", object{}, 201, &back)
	manager.do("POST", fmt.Sprintf("/api/publications/%d/send", back.ID), object{}, 202, nil)
	second.do("POST", fmt.Sprintf("/api/publications/%d/approve", back.ID), object{}, 202, nil)
	require.Equal(t, "done", a.ends(back.ID).State)
	require.Empty(t, out.Prices())
	d, _ = a.blocked()
	require.Equal(t, done.Lines, d.Held)
	manager.do("POST", "/api/channels/web/held/release", object{"skus": []string{shown.Lines[0].SKU}}, 200, nil)
	d, _ = a.blocked()
	require.Equal(t, done.Lines-1, d.Held)
	var list struct{ Publications []published }
	a.do("GET", "/api/publications?channel=web", nil, 200, &list)
	require.Len(t, list.Publications, 4)
	require.Empty(t, list.Publications[0].Answers)
	for _, unknown := range []string{"/send", "/approve", "/take-back", "/rest"} {
		second.do("POST", "/api/publications/999"+unknown, object{}, 404, nil)
	}
	a.do("GET", "/api/publications/999", nil, 404, nil)
	out.Check(t)
}

// What is due is told with how many lines it changes; drift is found, by SKU, sent again or lived with.
func TestDueAndDrifts(t *testing.T) {
	a := started(t, store.Administrator)
	a.do("POST", "/api/channels/web/compare", object{}, 409, nil)
	out := a.link(nil)
	var due struct {
		Due []struct {
			At                 string
			Lines, Unpublished int
		}
	}
	a.do("GET", "/api/channels/web/due", nil, 200, &due)
	require.Empty(t, due.Due, "nothing was published")
	d, blocked := a.blocked()
	var p published
	a.do("POST", "/api/channels/web/publications", object{"version": d.Version, "leaveOut": blocked}, 201, &p)
	a.do("POST", fmt.Sprintf("/api/publications/%d/send", p.ID), object{}, 202, nil)
	require.Equal(t, "done", a.ends(p.ID).State)
	a.do("GET", "/api/channels/web/due", nil, 200, &due)
	require.NotEmpty(t, due.Due)
	require.Positive(t, due.Due[0].Lines)
	require.Zero(t, due.Due[0].Unpublished)
	a.do("GET", "/api/channels/nowhere/due", nil, 404, nil)

	var drifts struct {
		Drifts []struct {
			SKU, Took, Shows, Since string
			Accepted                bool
		}
		Compared string
	}
	a.do("POST", "/api/channels/web/compare", object{}, 200, &drifts)
	require.Empty(t, drifts.Drifts)
	require.NotEmpty(t, drifts.Compared)
	out.Change("BAT-35", "1.00")
	out.Change("PLINTH-64", "2.00")
	a.do("POST", "/api/channels/web/compare", object{}, 200, &drifts)
	require.Len(t, drifts.Drifts, 2)
	first := drifts.Drifts[0]
	require.Equal(t, []string{"BAT-35", "17.50", "1.00"}, []string{first.SKU, first.Took, first.Shows})
	a.do("POST", "/api/channels/web/drifts/accept", object{"skus": []string{"PLINTH-64"}}, 200, nil)
	a.do("POST", "/api/channels/web/drifts/again", object{"skus": []string{"BAT-35"}}, 200, nil)
	a.do("POST", "/api/channels/web/drifts/again", object{"skus": []string{}}, 200, nil)
	a.do("GET", "/api/channels/web/drifts", nil, 200, &drifts)
	require.Len(t, drifts.Drifts, 1)
	require.True(t, drifts.Drifts[0].Accepted)
	d, _ = a.blocked()
	require.Equal(t, len(blocked)+1, d.Total)
	out.Manner(func(int) string { return publishtest.Well })
	out.Check(t)
}

// What a price is shown as reduced from stands on the board and on the trail as it will be sent; to guests alone, and
// for a channel.
func TestReferencesOnTheBoard(t *testing.T) {
	a := started(t, store.Administrator)
	a.link(object{"reference": "list"})
	var d struct {
		Rows []struct {
			SKU       string
			Reference *string
		}
	}
	a.do("GET", "/api/channels/web/differences?limit=10000", nil, 200, &d)
	board := func(query string) map[string]*string {
		var page struct {
			Rows []struct {
				SKU         string
				ReducedFrom *string
			}
		}
		a.do("GET", "/api/board?limit=500"+query, nil, 200, &page)
		found := map[string]*string{}
		for _, r := range page.Rows {
			found[r.SKU] = r.ReducedFrom
		}
		return found
	}
	shown, reduced := board("&channel=web"), 0
	for _, r := range d.Rows {
		onBoard, is := shown[r.SKU]
		if !is {
			continue
		}
		require.Equal(t, r.Reference, onBoard, r.SKU)
		if r.Reference != nil {
			reduced++
			var detail struct{ Reduced struct{ Price, Kind string } }
			if reduced < 4 {
				a.do("GET", "/api/price?channel=web&sku="+url.QueryEscape(r.SKU), nil, 200, &detail)
				require.Equal(t, []string{*r.Reference, "list"}, []string{detail.Reduced.Price, detail.Reduced.Kind})
			}
		}
	}
	require.Positive(t, reduced)
	for _, query := range []string{"", "&channel=web&who=group:trade", "&channel=web&quantity=2"} {
		for sku, from := range board(query) {
			require.Nil(t, from, "%s %s", query, sku)
		}
	}
}

// Differences are narrowed, counted and paged here, and what a narrowing leaves is what is sent of it.
func TestDifferencesAreNarrowed(t *testing.T) {
	a := started(t, store.Administrator)
	a.link(nil)
	type answer struct {
		differences
		Of struct {
			Total, Blocked, Held int
			Worth                struct {
				Margin, Sales    string
				Counted, Unknown int
			}
		}
		Kinds []struct {
			Kind  string
			Count int
		}
		Made, Within []struct {
			Value string
			Count int
		}
	}
	get := func(query string) (d answer) {
		a.do("GET", "/api/channels/web/differences?"+query, nil, 200, &d)
		return d
	}
	d, blocked := a.blocked()
	made, code := get("limit=1").Made, ""
	var p published
	a.do("POST", "/api/channels/web/publications", object{"version": d.Version, "leaveOut": blocked}, 201, &p)
	a.do("POST", fmt.Sprintf("/api/publications/%d/send", p.ID), object{}, 202, nil)
	a.ends(p.ID)
	var rules struct {
		Rules []struct {
			Rule object
			ETag string
		}
	}
	a.do("GET", "/api/rules", nil, 200, &rules)
	for _, r := range rules.Rules {
		effect, _ := r.Rule["effect"].(map[string]any)
		for _, m := range made {
			if code == "" && m.Value == r.Rule["code"] && m.Count > 9 && effect["percentOff"] != nil {
				code = m.Value
				r.Rule["effect"] = object{"percentOff": "31.5"}
				a.do("PUT", "/api/rules/"+code, r.Rule, 200, nil, "If-Match", r.ETag, "Checks-Seen", "true")
			}
		}
	}

	all := get("limit=10000")
	require.Equal(t, all.Total, all.Of.Total)
	require.Len(t, all.Rows, all.Total)
	sum := 0
	for _, k := range all.Kinds {
		sum += k.Count
		require.Equal(t, k.Count, get("kind="+k.Kind).Of.Total, k.Kind)
	}
	require.Equal(t, all.Total, sum, "each row is of one kind")
	require.Equal(t, all.Blocked, get("kind=blocked").Of.Total+get("kind=held").Of.Blocked)
	for _, m := range all.Made {
		require.Equal(t, m.Count, get("rule="+url.QueryEscape(m.Value)).Of.Total, m.Value)
	}
	for _, c := range all.Within {
		require.Equal(t, c.Count, get("category="+url.QueryEscape(c.Value)).Of.Total, c.Value)
	}
	var paged []string
	for start := 0; start < all.Total; start += 7 {
		for _, r := range get(fmt.Sprintf("start=%d&limit=7", start)).Rows {
			paged = append(paged, r.SKU)
		}
	}
	require.Len(t, paged, all.Total)
	require.Zero(t, get("q="+url.QueryEscape("<nothing> & so")).Of.Total)
	require.NotZero(t, all.Of.Worth.Counted)
	require.True(t, strings.HasPrefix(all.Of.Worth.Margin, "-"), all.Of.Worth.Margin)

	of := get("rule=" + code + "&limit=10000")
	var narrowed published
	leave := []string{of.Rows[0].SKU}
	var chosen []string
	for i, r := range of.Rows {
		if chosen = append(chosen, r.SKU); i > 0 && len(r.Blocked) > 0 {
			leave = append(leave, r.SKU)
		}
	}
	a.do("POST", "/api/channels/web/publications", object{"version": all.Version, "only": object{"skus": chosen},
		"leaveOut": leave}, 201, &narrowed)
	a.do("POST", fmt.Sprintf("/api/publications/%d/send", narrowed.ID), object{}, 202, nil)
	sent := a.ends(narrowed.ID)
	require.Equal(t, []any{"done", of.Of.Total - len(leave)}, []any{sent.State, sent.Taken})
	require.Equal(t, len(leave), get("rule="+code).Of.Total)
	var told struct{ Worth struct{ Margin string } }
	a.do("GET", fmt.Sprintf("/api/publications/%d", narrowed.ID), nil, 200, &told)
	require.True(t, strings.HasPrefix(told.Worth.Margin, "-"), told.Worth.Margin)
}
