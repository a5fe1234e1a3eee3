package telling

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"maps"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

const ruled = `{"book":"dogbane/1","settings":{"currency":"EUR","timeZone":"UTC"},"groups":[{"code":"g"}],"customers":[{"code":"C"}],
	"channels":[{"code":"web"},{"code":"plain","can":["breaks","groups"]},{"code":"wordless","can":["offers"]}],
	"ranges":[{"code":"R","where":{"sku":["A"]}}],"ladders":[{"code":"L","breaks":[{"from":"100","percentOff":"5"}],"measure":"spend"}],
	"campaigns":[{"code":"K","name":"K","window":{"from":"2026-11-01T00:00","to":"2026-12-01T00:00"}},
		{"code":"EVE","window":{"days":["fri","sat"],"hours":["17:00","21:00"]},"audience":{"countries":["NL"]}},
		{"code":"WEEK","window":{"weekly":{"from":"fri 18:00","to":"mon 10:00"}}}],
	"products":[{"sku":"A","list":"10.00","cost":"5.00"},{"sku":"B","list":"20.00"}],
	"rules":[
		{"code":"LINE","layer":"sale","rank":1,"where":{"all":[]},"effect":{"percentOff":"5"}},
		{"code":"GROUP","layer":"group","rank":1,"where":{"all":[]},"audience":{"groups":["g"]},"effect":{"percentOff":"5"}},
		{"code":"PIECES","layer":"tier","rank":1,"where":{"all":[]},"breaks":[{"from":3,"percentOff":"5"}]},
		{"code":"SPEND","layer":"tier","rank":2,"name":"hidden","note":"hidden","where":{"range":["R"]},"ladder":"L"},
		{"code":"CONTRACT","layer":"group","rank":2,"where":{"range":["R"]},"audience":{"customers":["C"]},"effect":{"setPrice":"7.00"},"campaign":"K","window":{"to":"2026-11-28T00:00"}},
		{"code":"COST","layer":"group","rank":3,"where":{"all":[]},"audience":{"customers":["C"]},"effect":{"markup":"10"}},
		{"code":"FLOOR","layer":"group","rank":4,"where":{"all":[]},"audience":{"customers":["C"]},"effect":{"percentOff":"1"},"floor":{"cost":true}},
		{"code":"COSTLY","layer":"group","rank":5,"where":{"not":{"cost":{"min":"1"}}},"audience":{"customers":["C"]},"effect":{"percentOff":"1"}},
		{"code":"OVER","layer":"promotion","rank":1,"where":{"all":[]},"window":{"to":"2026-11-20T00:00"},"order":{"min":2}},
		{"code":"ELSEWHERE","layer":"promotion","rank":1,"where":{"all":[]},"channels":["plain"],"order":{"min":2}},
		{"code":"OFF","layer":"promotion","rank":1,"status":"off","where":{"all":[]},"order":{"min":2}},
		{"code":"ORDER","layer":"promotion","rank":1,"name":"x","where":{"sku":["B"]},"order":{"multiple":2}},
		{"code":"OFFER","layer":"promotion","rank":1,"where":{"all":[]},"offer":{"needs":[{"id":"n","where":{"range":["R"]},"quantity":2}],"gives":[{"to":"needs","percentOff":"5"}]}},
		{"code":"EVENING","layer":"promotion","rank":2,"campaign":"EVE","where":{"all":[]},"window":{"hours":["16:00","19:00"]},"audience":{"signedIn":true},"order":{"min":3}},
		{"code":"TWICE","layer":"promotion","rank":2,"campaign":"WEEK","where":{"all":[]},"window":{"weekly":{"from":"sat 00:00","to":"tue 10:00"}},"order":{"min":3}},
		{"code":"WORD","layer":"promotion","rank":2,"where":{"all":[]},"offer":{"codes":{"words":["SPRING-26"]},"gives":[{"to":"basket","percentOff":"5"}]}}]}`

// What no line can say goes as a rule: for that channel, as far as it can be told it, and nothing that tells what goods
// cost.
func TestRulesThatGoAlong(t *testing.T) {
	at := moment(t, "2026-11-26T09:00")
	docs := tellingOf(t, ruled, "web").Rules(at)
	require.Equal(t, []string{"CONTRACT", "EVENING", "OFFER", "ORDER", "SPEND", "WORD"}, slices.Sorted(maps.Keys(docs)))
	require.Empty(t, tellingOf(t, ruled, "plain").Rules(at))
	require.NotContains(t, tellingOf(t, ruled, "wordless").Rules(at), "WORD")
	for code, doc := range docs {
		var r struct {
			Name, Note, Campaign, Ladder string
			Channels                     []string
		}
		require.NoError(t, json.Unmarshal(doc, &r))
		require.Empty(t, r.Name+r.Note+r.Campaign+r.Ladder, code)
		require.Equal(t, []string{"web"}, r.Channels, code)
		require.NotContains(t, string(doc), `"range"`, "what it refers to stands in it")
	}
	require.Contains(t, string(docs["SPEND"]), `"measure":"spend"`)
	require.Contains(t, string(docs["CONTRACT"]), `"from":"2026-11-01T00:00"`, "of the campaign")
	require.Contains(t, string(docs["CONTRACT"]), `"to":"2026-11-28T00:00"`, "the earlier end")
	require.Contains(t, string(docs["EVENING"]), `"window":{"days":["fri","sat"],"hours":["17:00","19:00"]}`, "of both")
	require.Contains(t, string(docs["EVENING"]), `"audience":{"countries":["NL"],"signedIn":true}`, "of both")
	sum := sha256.Sum256([]byte("SPRING-26"))
	require.Contains(t, string(docs["WORD"]), hex.EncodeToString(sum[:]))
	require.NotContains(t, string(docs["WORD"]), "SPRING")
	require.NotContains(t, tellingOf(t, ruled, "web").Rules(moment(t, "2026-11-28T00:00")), "CONTRACT", "it is over")
}

// Rules differ like lines: what is told anew, and what is to be forgotten.
func TestRuleChanges(t *testing.T) {
	doc := func(text string) json.RawMessage { return json.RawMessage(text) }
	took := map[string]json.RawMessage{"A": doc("1"), "B": doc("2"), "C": doc("3")}
	c := ChangesOf(took, map[string]json.RawMessage{"A": doc("1"), "B": doc("5"), "D": doc("4")})
	require.Equal(t, RuleChanges{Rules: []json.RawMessage{doc("5"), doc("4")}, Withdraw: []string{"C"}}, c)
	require.True(t, ChangesOf(took, took).None())
}
