package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// ask sends a request as JSON and answers its status and body.
func ask(t testing.TB, c *http.Client, method, url string, body any) (int, string) {
	t.Helper()
	var doc []byte
	if body != nil {
		var err error
		doc, err = json.Marshal(body)
		require.NoError(t, err)
	}
	req, err := http.NewRequestWithContext(t.Context(), method, url, bytes.NewReader(doc))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	resp, err := c.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp.StatusCode, string(text)
}

func TestPeople(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())

	t.Run("nobody sees anything before signing in", func(t *testing.T) {
		status, _ := ask(t, http.DefaultClient, "GET", p.url+"/api/board", nil)
		require.Equal(t, http.StatusUnauthorized, status)
		pg := p.openAs(t, "", "/board")
		pg.says("This is the demo. Come in as")
		pg.typeInto(pg.find("input[autocomplete=username]"), "maren")
		pg.typeInto(pg.find("input[type=password]"), "wrong")
		pg.click("button[type=submit]")
		pg.says("Name and password do not belong together.")
		pg.click("button", "Tessel Quaye")
		pg.find("[data-sku]")
		require.Empty(t, pg.texts("button", "New sale rule"))
		pg.click("[aria-label^='Signed in as']")
		pg.click("[role=menuitem]", "Sign out")
		pg.says("This is the demo. Come in as")
	})
	t.Run("what each role may not do", func(t *testing.T) {
		rule := map[string]any{"code": "R", "layer": "sale", "rank": 99, "where": map[string]any{"sku": "BAT-30"},
			"effect": map[string]any{"percentOff": "1"}}
		person := map[string]any{"name": "x", "fullName": "X", "role": "reader", "active": true, "password": "long enough"}
		override := map[string]any{"version": 1, "overrides": map[string]string{"SET-OXIDE": "agreed"}}
		for _, tc := range []struct {
			who, method, path string
			body              any
			status            int
		}{
			{"tessel", "GET", "/api/board", nil, 200},
			{"tessel", "POST", "/api/impact", rule, 200},
			{"tessel", "POST", "/api/rules", rule, 403},
			{"tessel", "PATCH", "/api/products/BAT-30", map[string]string{"list": "15.00"}, 403},
			{"tessel", "POST", "/api/channels/web/publications", map[string]any{"version": 1}, 403},
			{"tessel", "POST", "/api/log/1/undo", nil, 403},
			{"maren", "POST", "/api/rules", rule, 200},
			{"maren", "POST", "/api/channels/web/publications", override, 403},
			{"maren", "PUT", "/api/book?version=1", map[string]any{}, 403},
			{"maren", "GET", "/api/people", nil, 403},
			{"ilko", "POST", "/api/channels/web/publications", override, 409}, // the version is old, but the role will do
			{"ilko", "POST", "/api/people", person, 403},
			{"wout", "POST", "/api/people", person, 204},
			{"wout", "PUT", "/api/people/wout", map[string]any{"fullName": "W", "role": "reader", "active": true}, 422},
		} {
			status, text := ask(t, p.client(t, tc.who), tc.method, p.url+tc.path, tc.body)
			require.Equal(t, tc.status, status, "%s %s %s: %s", tc.who, tc.method, tc.path, text)
		}
	})
	t.Run("guessing passwords slows down", func(t *testing.T) {
		last := 0
		for range 7 {
			last, _ = ask(t, http.DefaultClient, "POST", p.url+"/api/session",
				map[string]string{"name": "ilko", "password": "guess"})
		}
		require.Equal(t, http.StatusTooManyRequests, last)
	})
	t.Run("another site cannot write with somebody's cookie", func(t *testing.T) {
		req, err := http.NewRequestWithContext(t.Context(), "POST", p.url+"/api/log/1/undo", nil)
		require.NoError(t, err)
		req.Header.Set("Origin", "http://elsewhere.example")
		resp, err := p.client(t, "maren").Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		require.Equal(t, http.StatusForbidden, resp.StatusCode)
	})
}

// Each kind of rule is made in the editor and its price read on the board.
func TestEveryKindOfRule(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	p.unpin(t)
	pg := p.open(t, "/board")
	client := p.client(t, "wout")
	status, text := ask(t, client, "GET", p.url+"/api/book", nil)
	require.Equal(t, 200, status)
	var book map[string]any
	require.NoError(t, json.Unmarshal([]byte(text), &book))
	// A shelf of its own: no other rule reaches it.
	book["products"] = append(book["products"].([]any),
		map[string]any{"sku": "T-1", "name": "Test jar", "list": "100.00", "cost": "50.00", "rrp": "110.00",
			"levels": map[string]any{"B": "77.00"}, "attrs": map[string]any{"kg": "2"}},
		map[string]any{"sku": "T-2", "name": "Test cover", "list": "10.00"})
	book["rules"] = []any{}
	status, text = ask(t, client, "PUT", p.url+"/api/book?version=1", book)
	require.Equal(t, 200, status, text)

	layer := func(l string) string { return "/stack/new?channel=web&layer=" + l }
	for _, tc := range []struct {
		name, path string
		write      func()
		board      string // the rest of the board's address
		sku, want  string
	}{
		{"percent with ending", layer("sale"), func() {
			pg.typeInto(pg.labelled("How much"), "15")
			pg.click("button", `^\+ ending`)
			pg.typeInto(pg.labelled("Step of the ending"), "5")
		}, "", "T-1", "84.95"},
		{"set price", layer("sale"), func() {
			pg.choose("Effect", "setPrice")
			pg.typeInto(pg.labelled("How much"),
				"66.60")
		}, "", "T-1", "66.60"},
		{"price level", layer("group"), func() { pg.choose("Effect", "level"); pg.choose("Price level", "B") }, "", "T-1",
			"77.00"},
		{"markup on cost", layer("group"), func() {
			pg.choose("Effect", "markup")
			pg.typeInto(pg.labelled("How much"),
				"40")
		}, "", "T-1", "70.00"},
		{"margin", layer("group"), func() { pg.choose("Effect", "margin"); pg.typeInto(pg.labelled("How much"), "37.5") }, "",
			"T-1", "80.00"},
		{"reckoned from the recommended price", layer("promotion"), func() {
			pg.typeInto(pg.labelled("How much"), "20")
			pg.click("button", `^\+ reckoned from`)
			pg.choose("Reckoned from", "rrp")
		}, "", "T-1", "88.00"},
		{"at most so much off", layer("sale"), func() {
			pg.typeInto(pg.labelled("How much"), "90")
			pg.click("button", `^\+ most off`)
			pg.choose("Most off by", "amount")
			pg.typeInto(pg.labelled("Most off"), "8")
		}, "", "T-1", "92.00"},
		{"never below a margin", layer("sale"), func() {
			pg.typeInto(pg.labelled("How much"), "90")
			pg.click("button", `^\+ floor`)
			pg.choose("Floor by", "margin")
			pg.typeInto(pg.labelled("Floor"), "20")
		}, "", "T-1", "62.50"},
		{"breaks of its own", layer("tier"), func() {
			pg.typeInto(pg.labelled("Break 1 from"), "3")
			pg.typeInto(pg.labelled("How much of break 1"), "10")
		}, "&quantity=3", "T-1", "90.00"},
		{"graduated breaks", layer("tier"), func() {
			pg.typeInto(pg.labelled("Break 1 from"), "3")
			pg.typeInto(pg.labelled("How much of break 1"), "50")
			pg.choose("Method", "graduated")
		}, "&quantity=4", "T-1", "75.00"},
		{"breaks by an attribute", layer("tier"), func() {
			pg.typeInto(pg.labelled("Break 1 from"), "10")
			pg.typeInto(pg.labelled("How much of break 1"), "25")
			pg.choose("Measure", "attr")
			pg.choose("Attribute measured", "kg")
		}, "&quantity=5", "T-1", "75.00"},
		{"a shared ladder", layer("tier"), func() {
			pg.choose("Form of the rule", "ladder")
			pg.choose("Ladder",
				"by-the-box")
		}, "&quantity=12", "T-1", "93.00"},
		{"for a group", layer("group"), func() {
			pg.typeInto(pg.labelled("How much"), "12")
			pg.click("[aria-label^='Group:']")
			pg.click("[cmdk-item]", "Schools")
			pg.key(input.Escape)
		}, "&who=group:schools", "T-1", "88.00"},
		{"for a customer, in one channel", layer("group"), func() {
			pg.typeInto(pg.labelled("How much"), "30")
			pg.click("[aria-label^='Customer:']")
			pg.click("[cmdk-item]", "Widdershin")
			pg.key(input.Escape)
			pg.choose("In which channels", "some")
			pg.click("label", "^Quay shop till")
		}, "&channel=quay&who=customer:C-02", "T-1", "70.00"},
		{"weekdays and hours", layer("promotion"), func() {
			pg.typeInto(pg.labelled("How much"), "5")
			pg.click("button", `^\+ weekdays and hours`)
			pg.click("label", "^Fri")
			pg.typeInto(pg.labelled("Hours from"), "18:00")
			pg.typeInto(pg.labelled("Hours to"), "22:00")
		}, "&at=2026-11-27T18:00", "T-1", "95.00"},
		{"a weekly span", layer("promotion"), func() {
			pg.typeInto(pg.labelled("How much"), "6")
			pg.click("button", `^\+ weekly span`)
		}, "&at=2026-11-28T12:00", "T-1", "94.00"},
		{"a yearly span", layer("promotion"), func() {
			pg.typeInto(pg.labelled("How much"), "7")
			pg.click("button", `^\+ yearly span`)
			pg.typeInto(pg.labelled("Year from"), "11-20")
			pg.typeInto(pg.labelled("Year through"), "5 jan")
		}, "", "T-1", "93.00"},
		{"derived from another price", layer("catalog"), func() {
			pg.choose("Effect", "derive")
			pg.typeInto(pg.labelled("How much"), "4")
			pg.typeInto(pg.labelled("Source of the derived price"), "T-1")
			pg.typeInto(pg.labelled("Least derived price"), "18")
		}, "", "T-2", "18.00"},
		{"a draft counted in", layer("sale"), func() {
			pg.typeInto(pg.labelled("How much"),
				"44")
			pg.choose("State of the rule", "draft")
		}, "&with=A-DRAFT-COUNTED-IN", "T-1", "56.00"},
	} {
		t.Run(tc.name, func(t *testing.T) {
			pg.t = t
			pg.show(p.url + tc.path)
			pg.typeInto(pg.labelled("Name"), tc.name)
			pg.click("[aria-label='Add SKUs']")
			pg.typeInto(pg.labelled("SKUs"), tc.sku)
			pg.says("1 known")
			tc.write()
			pg.click("button", "Save the rule")
			if !strings.HasPrefix(tc.name, "for a ") && strings.Contains(tc.path, "layer=group") {
				pg.find("[role=alertdialog]", "every buyer would get it")
				pg.click("[role=alertdialog] button", "Save it for everyone")
			}
			code := strings.ReplaceAll(strings.ToUpper(strings.ReplaceAll(tc.name, ",", "")), " ", "-")
			code = code[:min(28, len(code))]
			pg.find(fmt.Sprintf("[data-rule^=%q]", code[:min(20, len(code))]))
			pg.show(p.url + "/board?q=" + tc.sku + tc.board)
			pg.eventually("the board shows "+tc.want, func() bool { return pg.cell(tc.sku, "price") == tc.want })
			status, text := ask(t, client, "DELETE", p.url+"/api/rules/"+code, nil)
			require.Equal(t, 200, status, text)
		})
	}
}

func TestStackAtWork(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/stack")
	order := func() []string {
		var list []string
		for _, el := range pg.MustElements("[aria-label='Catalog layer'] [data-rule]") {
			list = append(list, *el.MustAttribute("data-rule"))
		}
		return list
	}
	pg.find("[data-rule=BRUSH-LIST]")

	t.Run("rank by keyboard", func(t *testing.T) {
		pg.t = t
		pg.find("[data-rule=PORCELAIN-UP] [aria-label^='Move']").MustFocus()
		pg.chord(input.AltLeft, input.ArrowUp)
		pg.eventually("porcelain stands first", func() bool { return order()[0] == "PORCELAIN-UP" })
		pg.find("[role=status], li", "Moved")
	})
	t.Run("rank by drag", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/stack")
		pg.find("[data-rule=BRUSH-LIST]")
		from := pg.find("[data-rule=BRUSH-LIST] [aria-label^='Move']").MustShape().Box()
		to := pg.find("[data-rule=PORCELAIN-UP] [aria-label^='Move']").MustShape().Box()
		pg.Mouse.MustMoveTo(from.X+5, from.Y+8).MustDown("left")
		require.NoError(t, pg.Mouse.MoveLinear(pointOf(to.X+5, to.Y-6), 12))
		pg.Mouse.MustUp("left")
		pg.eventually("brushes stand first again", func() bool { return order()[0] == "BRUSH-LIST" })
	})
	t.Run("several at once, and back", func(t *testing.T) {
		pg.t = t
		states := func() [2]string {
			return [2]string{pg.text("[data-rule=KILN-AUTUMN] [data-testid=state]"),
				pg.text("[data-rule=GLAZE-WEEK] [data-testid=state]")}
		}
		before := states()
		require.NotContains(t, before, "off")
		pg.click("[aria-label='Choose Autumn kiln sale']")
		pg.click("[aria-label='Choose Glaze week']")
		pg.click("button", "Switch off")
		pg.eventually("both are off", func() bool { return states() == [2]string{"off", "off"} })
		pg.find("[data-notices] li", "Switched off 2 rules").MustElementR("button", "^Undo$").MustClick() // not an older one's
		pg.eventually("both are as they were", func() bool { return states() == before })
	})
	t.Run("order of the layers", func(t *testing.T) {
		pg.t = t
		pg.click("button", "Order and modes")
		pg.click("button", "Terms before breaks")
		pg.eventually("the impact is told", func() bool {
			return strings.Contains(pg.text("[data-testid=arrange-impact]"),
				"prices move")
		})
		pg.click("button", "Save the order")
		pg.eventually("group terms come before quantity", func() bool {
			var names []string
			for _, el := range pg.MustElements("section h2") {
				names = append(names, el.MustText())
			}
			return strings.Contains(strings.Join(names, " "), "Group terms Quantity")
		})
	})
	t.Run("two people edit one rule", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/stack/rule/TOOLS-CLEAR")
		pg.typeInto(pg.labelled("How much"), "25")
		other := p.openAs(t, "wout", "/stack/rule/TOOLS-CLEAR")
		other.typeInto(other.labelled("How much"), "35")
		other.click("button", "Save the change")
		other.find("[data-rule=TOOLS-CLEAR]")
		pg.click("button", "Save the change")
		pg.says("Somebody saved another state of this rule while you were writing.")
		pg.says("35 % off")
		pg.click("button", "Keep mine, then save")
		pg.click("button", "Save the change")
		pg.find("[data-rule=TOOLS-CLEAR]", "25 % off")
	})
	t.Run("unsaved work survives a reload", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/stack/rule/WHEELS-DARK")
		pg.typeInto(pg.labelled("How much"), "123.45")
		pg.eventually("the impact is there", func() bool { return pg.text("[data-testid=changed]") != "" })
		pg.show(p.url + "/stack/rule/WHEELS-DARK")
		pg.says("You left this unsaved")
		require.Equal(t, "123.45", pg.labelled("How much").MustProperty("value").Str())
		pg.click("button", "Leave without saving")
	})
	t.Run("a channel's demand is met by a click", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/stack/rule/KILNFAIR-TOOLS?channel=kilnfair")
		pg.says("takes whole amounts only")
		pg.click("[aria-label='What channels demand'] button")
		pg.eventually("whole amounts are kept", func() bool {
			text := pg.text("[aria-label='What channels demand']")
			return !strings.Contains(text, "whole amounts")
		})
	})
}

func TestBoardAtWork(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/board?channel=web")

	t.Run("spread by group", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/board?channel=web&q=SW-01-12&spread=group")
		pg.eventually("the trade price of clay", func() bool {
			return pg.cell("SW-01-12", "spread-3") == "14.35" && pg.cell("SW-01-12", "spread-0") == "17.50"
		})
	})
	t.Run("against another moment and somebody else", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/board?channel=web&q=KILN-EL-42&against=at:2026-12-02T09:00")
		pg.eventually("it is dearer after the sale", func() bool { return pg.cell("KILN-EL-42", "change") == "−170.05" })
		pg.show(p.url + "/board?channel=web&q=SW-01-12&who=group:trade&against=who:")
		pg.eventually("18 % less than everyone", func() bool { return pg.cell("SW-01-12", "change") == "−3.15" })
	})
	t.Run("a draft tried", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/board?channel=web&q=ST-01-90&at=2027-01-10T09:00")
		pg.eventually("its price without the draft", func() bool { return pg.cell("ST-01-90", "price") != "" })
		before := pg.cell("ST-01-90", "price")
		pg.click("[aria-label^='Drafts that count as on']")
		pg.click("[cmdk-item]", "New year, new studio")
		pg.key(input.Escape)
		pg.eventually("another price with it", func() bool { return pg.cell("ST-01-90", "price") != before })
	})
	t.Run("a bar of the histogram filters", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/board?channel=web&bars=open")
		pg.click("[aria-label^='Margin -10 to 0']")
		pg.eventually("few are left, all under cost", func() bool {
			return strings.HasPrefix(pg.text("[data-testid=board-total]"), "1 of") ||
				strings.HasPrefix(pg.text("[data-testid=board-total]"), "2 of")
		})
	})
	t.Run("bulk change and undo", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/board?channel=web&category=Studio/Display")
		pg.find("[data-sku=PLINTH-64]")
		pg.click("button", "^More$")
		pg.click("[role=menuitem]", "Change list prices or costs")
		pg.typeInto(pg.labelled("By how much"), "ten")
		pg.says("Write a number such as 5")
		pg.typeInto(pg.labelled("By how much"), "10")
		pg.eventually("the preview", func() bool {
			return strings.HasPrefix(pg.text("[data-testid=bulk-preview]"),
				"1 of 1 change")
		})
		pg.click("button", "^Save 1 amounts")
		pg.eventually("70.40", func() bool { return pg.cell("PLINTH-64", "price") == "70.40" })
		pg.click("button", "^Undo$")
		pg.eventually("64.00 again", func() bool { return pg.cell("PLINTH-64", "price") == "64.00" })
	})
	t.Run("paste from a spreadsheet", func(t *testing.T) {
		pg.t = t
		pg.click("button", "^More$")
		pg.click("[role=menuitem]", "Paste from a spreadsheet")
		pg.paste("Pasted cells", "PLINTH-64\t65,00\t31.00\n")
		pg.says("has a decimal comma, unlike the rest")
		pg.paste("Pasted cells", "PLINTH-64\t65.00\t31.50\n")
		pg.says("0 new, 1 changed")
		pg.click("button", "Import 1 product")
		pg.eventually("65.00", func() bool { return pg.cell("PLINTH-64", "price") == "65.00" })
	})
	t.Run("chosen products make a rule", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/board?channel=web&category=Wheels/Bats")
		pg.click("[aria-label^='Choose Wheel bat, 30']")
		pg.click("[aria-label^='Choose Wheel bat, 35']")
		require.Equal(t, "2 chosen", pg.text("[data-testid=chosen-count]"))
		pg.click("button", "Make a rule for them")
		pg.says("2 known")
	})
	t.Run("chosen prices are pinned", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/board?channel=web&category=Wheels/Bats")
		pg.click("[aria-label^='Choose Wheel bat, 30']")
		pg.click("[aria-label^='Choose Wheel bat, 35']")
		pg.click("button", "Pin their prices")
		pg.says("Pinned 2 prices as they are seen here")
		pg.show(p.url + "/catalogue/checks")
		pg.find("[data-check='Wheel bat, 35 cm']", "holds")
	})
	t.Run("a kept view", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/board?channel=web&category=Kilns&sort=margin")
		pg.click("button", "^Views$")
		pg.click("[role=menuitem]", "Keep this view")
		pg.typeInto(pg.labelled("Name of the view"), "Kilns by margin")
		pg.click("button", "^Keep$")
		pg.find("button", "^Views$")
		pg.show(p.url + "/board")
		pg.click("button", "^Views$")
		pg.click("[role=menuitem]", "Kilns by margin")
		pg.eventually("the view is back", func() bool { return strings.Contains(pg.MustInfo().URL, "sort=margin") })
	})
	t.Run("exports", func(t *testing.T) {
		client := p.client(t, "tessel")
		status, csv := ask(t, client, "GET", p.url+"/api/export?format=csv&channel=web&q=KILN-EL-42", nil)
		require.Equal(t, 200, status)
		require.Equal(t, 2, strings.Count(csv, "\r\n"))
		require.Contains(t, csv, "KILN-EL-42,\"Havermoor 42 litre table kiln, 1300 °C\",Kilns/Electric,1450.00,1279.95,1450.00,-170.05")
		status, xlsx := ask(t, client, "GET", p.url+"/api/export?format=xlsx&channel=web&spread=group&q=KILN-EL-42", nil)
		require.Equal(t, 200, status)
		f, err := excelize.OpenReader(strings.NewReader(xlsx))
		require.NoError(t, err)
		rows, err := f.GetRows("Sheet1")
		require.NoError(t, err)
		require.Equal(t, []string{"KILN-EL-42", "1450", "1279.95"}, []string{rows[1][0], rows[1][3], rows[1][4]})
		require.Equal(t, "everyone", rows[0][13])
	})
	t.Run("the trail explains", func(t *testing.T) {
		pg.t = t
		pg.show(p.url + "/board?channel=web&sku=SW-01-12&trail=open&who=customer:C-01")
		pg.says("Hollow Lane, agreed price for buff stoneware")
		pg.says("Below cost")
		pg.find("[data-testid=matrix]")
		pg.find("[data-testid=lowest30]")
	})
}

// A percent that a marketplace would refuse names the nearest ones that it takes, and one click takes one of them.
func TestDemandTakenByClick(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	pg := p.openAs(t, "maren", "/stack/new?layer=promotion&channel=kilnfair")
	pg.typeInto(pg.labelled("Name"), "Kiln days")
	pg.click("[aria-label='Add SKUs']")
	pg.typeInto(pg.labelled("SKUs"), "PLINTH-64")
	percent := pg.labelled("How much")
	pg.typeInto(percent, "3")
	demands := "[aria-label='What channels demand']"
	pg.find(demands, "Kilnfair demands at least 15 % off")
	buttons, err := pg.find("[data-testid=nearest]", "All keep to this with").Elements("button")
	require.NoError(t, err)
	require.Len(t, buttons, 1, "to take nothing off is no cure")
	enough := strings.TrimSuffix(buttons[0].MustText(), " % off")
	buttons[0].MustClick()
	require.Equal(t, enough, percent.MustProperty("value").Str())
	pg.eventually("the demand is met", func() bool { return !strings.Contains(pg.text(demands), "at least 15 % off") })
	pg.typeInto(percent, "90")
	pg.find(demands, "Kilnfair permits at most 55 % off")
	pg.eventually("the greatest reduction is named", func() bool {
		buttons, err := pg.Elements("[data-testid=nearest] button")
		return err == nil && len(buttons) == 1 && !strings.HasPrefix(buttons[0].MustText(), "90")
	})
}

// axe-core finds nothing serious on any view, in either theme.
func TestAccessibility(t *testing.T) {
	t.Parallel()
	axe, err := os.ReadFile(filepath.Join("..", "web", "node_modules", "axe-core", "axe.min.js"))
	require.NoError(t, err)
	p := start(t, t.TempDir())
	pg := p.open(t, "/board")
	for _, theme := range []string{"light", "dark"} {
		for _, view := range []struct{ path, wait string }{
			{"/board?channel=web&sku=SET-OXIDE&trail=open&bars=open", "[data-testid=matrix]"},
			{"/board?channel=web&spread=group", "[data-testid^=spread]"},
			{"/stack", "[data-rule]"},
			{"/stack/rule/GLAZE-BOX", "[data-testid=changed]"},
			{"/stack/new?layer=sale", "[aria-label=Name]"},
			{"/stack/new?layer=promotion", "[data-testid=shapes]"},
			{"/stack/rule/STARTER", "[data-testid=thinnest]"},
			{"/basket?channel=web&lines=%5B%7B%22sku%22%3A%22HIRE-WHEEL%22%2C%22quantity%22%3A2%7D%5D", "[data-testid=nudges]"},
			{"/catalogue/codes?item=FAIR-VOUCHER", "[data-testid=codes] li"},
			{"/catalogue/keys", "[data-key]"},
			{"/catalogue/product/HIRE-WHEEL", "[data-testid=hire-days]"},
			{"/flags", "[data-group]"},
			{"/publish", "[data-sku]"},
			{"/calendar?sku=KILN-EL-42&channel=web", "[data-bar]"},
			{"/catalogue/products", "[data-sku]"},
			{"/catalogue/product/KILN-EL-42", "[data-testid=matrix]"},
			{"/catalogue/import?file=sales", "[aria-label='Product file']"},
			{"/catalogue/ladders?item=by-the-box", "[aria-label='Break 1 from']"},
			{"/catalogue/campaigns?item=glaze-week", "[aria-label='From date']"},
			{"/catalogue/customers?item=C-01", "[aria-label='Agreed price']"},
			{"/catalogue/channels?item=kilnfair", "[aria-label='Hours of notice']"},
			{"/catalogue/settings", "[aria-label='Rounding']"},
			{"/catalogue/log", "main"},
		} {
			pg.MustEval(`theme => localStorage.setItem("dogbane-theme", theme)`, theme)
			pg.show(p.url + view.path)
			pg.find(view.wait)
			time.Sleep(300 * time.Millisecond)
			pg.MustEval("source => { eval(source) }", string(axe))
			found := pg.MustEval(`async () => {
				const result = await axe.run(document, { runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"] });
				return result.violations.filter(v => v.impact === "serious" || v.impact === "critical")
					.map(v => v.id + ": " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160) + " — " + (n.any[0]?.message ?? "")).join("\n   "));
			}`).Arr()
			for _, v := range found {
				t.Errorf("%s, %s: %s", view.path, theme, v.Str())
			}
		}
	}
}

// A flag names its product and whom it was found for, and its link asks that very question.
func TestAFlagShowsItsWitness(t *testing.T) {
	t.Parallel()
	p := start(t, t.TempDir())
	client := p.client(t, "maren")
	status, text := ask(t, client, "POST", p.url+"/api/rules", map[string]any{"code": "GIVEN",
		"name": "Given <away> & more", "layer": "promotion", "rank": 1,
		"where": map[string]any{"sku": "BAT-30"}, "audience": map[string]any{"groups": []string{"schools"}}, "minQuantity": 3,
		"effect": map[string]any{"setPrice": "0.10"}})
	require.Equal(t, 200, status, text)
	pg := p.open(t, "/flags?kind=below-cost")
	row := `[data-flag="below-cost"][data-sku="BAT-30"]`
	pg.find(row, "Wheel bat, 30 cm.*BAT-30.*Given <away> & more")
	pg.find(row, "Schools.*, 3 pieces")
	pg.click(row+" a", "^Show me$")
	pg.find("[data-testid=trail-price]", "0.10")
}
