package server_test

import (
	"bytes"
	"encoding/json"
	"image"
	"image/png"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"dogbane/internal/store"
)

// A price table says in words what each number of pieces costs and saves, and is asked by the workbench and by a channel.
func TestWhatCustomersSee(t *testing.T) {
	a := started(t, store.Administrator)
	a.open("web")
	var goods, same struct {
		Price string
		Title string
		Table []struct {
			From, To int
			Words    string
		}
		From *struct{ Words string }
	}
	a.do("GET", "/api/storefront?channel=web&sku=UG-01-J2", nil, 200, &goods)
	var words []string
	for _, r := range goods.Table {
		words = append(words, r.Words)
	}
	require.Equal(t, []string{"1 to 5 pieces: 19.60 each", "6 to 11 pieces: 18.82 each, you save 3.9 %",
		"12 to 23 pieces: 18.23 each, you save 6.9 %", "24 pieces or more: 17.64 each, you save 10 %"}, words)
	require.Equal(t, "from 5.95", goods.From.Words)
	key := a.key("web", "quote")
	a.do("GET", "/channel/web/goods/UG-01-J2", nil, 200, &same, key...)
	require.Equal(t, goods, same)
	a.do("GET", "/channel/web/goods/UG-01-J2?customer=C-01", nil, 403, nil, key...)
	a.do("GET", "/channel/web/goods/GONE%20%26%20away", nil, 422, nil, key...)

	var sets struct {
		Sets []struct {
			Rule, Title, Apart, Together, Saves, To string
			Left                                    *int
		}
	}
	a.do("GET", "/channel/web/sets", nil, 200, &sets, key...)
	for _, s := range sets.Sets {
		if s.Rule == "STARTER" {
			require.Equal(t, "Starter bench", s.Title)
			require.Equal(t, "99.00", s.Together)
			require.Equal(t, 60, *s.Left)
			require.Equal(t, "2027-01-11T00:00", s.To)
		}
		require.NotEqual(t, "FAIR-VOUCHER", s.Rule, "what wants a code is no set")
	}
	require.Len(t, sets.Sets, 3)

	var days struct {
		FreeFirst string
		Days      []struct{ Date, Price string }
	}
	a.do("GET", "/api/hire-days?channel=web&sku=HIRE-WHEEL&from=2026-11-26T00:00&days=4", nil, 200, &days)
	require.Equal(t, "17:30", days.FreeFirst)
	require.Equal(t, "60.00", days.Days[0].Price)
	require.Equal(t, "72.00", days.Days[2].Price, "a Saturday")
	a.do("GET", "/api/hire-days?channel=web&sku=BAT-30&from=2026-11-26T00:00", nil, 422, nil)
}

// An image is kept once and had by anybody; what is none is refused.
func TestImages(t *testing.T) {
	a := started(t, store.Manager)
	var file bytes.Buffer
	require.NoError(t, png.Encode(&file, image.NewGray(image.Rect(0, 0, 3, 2))))
	status, answer := a.raw("POST", "/api/images", file.Bytes(), "Content-Type", "application/octet-stream")
	require.Equal(t, 200, status, answer)
	address := strings.Split(strings.SplitN(answer, `"address":"`, 2)[1], `"`)[0]
	resp, err := http.Get(a.url + address)
	require.NoError(t, err)
	defer resp.Body.Close()
	require.Equal(t, "image/png", resp.Header.Get("Content-Type"))
	require.Equal(t, "nosniff", resp.Header.Get("X-Content-Type-Options"))
	picture, err := png.Decode(resp.Body)
	require.NoError(t, err)
	require.Equal(t, 3, picture.Bounds().Dx())
	status, answer = a.raw("POST", "/api/images", []byte("<svg onload=alert(1)>"), "Content-Type", "application/octet-stream")
	require.Equal(t, 422, status)
	require.Contains(t, answer, "PNG, JPEG or WebP")
	a.do("GET", "/images/nothing", nil, 404, nil)
	a.do("GET", "/images/%F0%9F%8F%BA", nil, 404, nil)
}

// While an offer is written it is tried: what it lacks is named, what its customers are told is shown, and a pinned basket
// that it would break is named.
func TestTrialsOfOffers(t *testing.T) {
	a := started(t, store.Manager)
	var trial struct {
		Errors  []struct{ Path string }
		Reach   int
		Steps   []struct{ Applications int }
		Message *struct{ Text string }
		Unknown []string
		Checks  []struct{ Name string }
	}
	rule := func(offer string) []byte {
		return []byte(`{"name":"N","layer":"promotion","rank":1,"where":{"all":[]},"show":{"message":"Hi {name}, {goods}, {nobody}"},"offer":` +
			offer + `}`)
	}
	ask := func(offer string) {
		t.Helper()
		status, text := a.raw("POST", "/api/impact/trial?channel=web", rule(offer))
		require.Equal(t, 200, status, text)
		trial.Errors, trial.Steps, trial.Message, trial.Unknown, trial.Checks = nil, nil, nil, nil, nil
		require.NoError(t, json.Unmarshal([]byte(text), &trial))
	}
	ask(`{"needs":[{"id":"a","where":{"sku":"BAT-30"},"quantity":0}],"gives":[]}`)
	require.NotEmpty(t, trial.Errors)
	ask(`{"needs":[{"id":"a","where":{"tag":"of nothing"}}],"gives":{"to":"a","percentOff":"5"}}`)
	require.Zero(t, trial.Reach)
	require.Empty(t, trial.Steps)
	a.do("POST", "/api/checks", object{"name": "two bats", "doc": object{"basket": object{"at": "2026-11-27T10:00", "channel": "web",
		"lines": []object{{"sku": "BAT-30", "quantity": 2}}}, "is": object{"total": "29.00"}}}, 204, nil)
	ask(`{"after":{"where":{"sku":"PLINTH-64"},"days":10},"gives":{"to":"basket","percentOff":"5"}}`)
	require.Contains(t, trial.Message.Text, "Hi Hollow Lane Studio, Turned display plinth, {nobody}")
	require.Equal(t, []string{"{nobody}"}, trial.Unknown)
	require.Empty(t, trial.Checks)
	ask(`{"needs":[{"id":"a","where":{"sku":"BAT-30"},"quantity":2}],"gives":{"to":"a","percentOff":"5"}}`)
	require.Equal(t, "two bats", trial.Checks[0].Name)
	require.Equal(t, 1, trial.Steps[1].Applications)
	a.do("POST", "/api/rules", json.RawMessage(`{"code":"BATS","status":"draft","layer":"promotion","rank":1,"where":{"sku":"BAT-30"},
		"offer":{"needs":[{"id":"a","where":{"all":[]},"quantity":2}],"gives":{"to":"a","percentOff":"50"}}}`), 200, nil)
	worse := json.RawMessage(`{"layer":"promotion","rank":5,"where":{"sku":"BAT-30"},
		"offer":{"needs":[{"id":"a","where":{"all":[]},"quantity":2}],"gives":{"to":"a","percentOff":"5"}}}`)
	var taken struct{ Steps []struct{ TakenBy string } }
	a.do("POST", "/api/impact/trial?channel=web&with=BATS", worse, 200, &taken)
	require.Equal(t, "BATS", taken.Steps[1].TakenBy, "a draft that counts as on competes")
	taken.Steps = nil
	a.do("POST", "/api/impact/trial?channel=web&with=BATS&replaces=BATS", worse, 200, &taken)
	require.Empty(t, taken.Steps[1].TakenBy, "not the one that is being edited")
	var kept struct{ Rules []struct{ Rule object } }
	a.do("GET", "/api/rules", nil, 200, &kept)
	tried := 0
	for _, r := range kept.Rules {
		if r.Rule["offer"] == nil && r.Rule["order"] == nil {
			continue
		}
		code, _ := r.Rule["code"].(string)
		if code == "BATS" {
			continue
		}
		tried++
		trial.Steps = nil
		a.do("POST", "/api/impact/trial?channel=web&replaces="+code, r.Rule, 200, &trial)
		require.NotEmpty(t, trial.Steps, "the demo's %s can be seen at work", code)
	}
	require.Equal(t, 12, tried)
}
