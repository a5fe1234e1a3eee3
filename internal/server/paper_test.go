package server_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"dogbane/internal/publish/telling"
	"dogbane/internal/store"
)

// file fetches a file that is made of a board.
func (a *api) file(path string) (status int, data []byte, kind string) {
	a.t.Helper()
	req, err := http.NewRequestWithContext(a.t.Context(), http.MethodGet, a.url+path, http.NoBody)
	require.NoError(a.t, err)
	resp, err := a.client.Do(req)
	require.NoError(a.t, err)
	defer resp.Body.Close()
	data, err = io.ReadAll(resp.Body)
	require.NoError(a.t, err)
	return resp.StatusCode, data, resp.Header.Get("Content-Type")
}

// A price list says what the channel's lines say: price, what it was, breaks and price of a unit, for guests; and for a
// group what that group pays.
func TestPriceListsSayWhatTheChannelIsTold(t *testing.T) {
	a := started(t, store.Administrator)
	a.link(object{})
	d, blocked := a.blocked()
	var p published
	a.do("POST", "/api/channels/web/publications", object{"version": d.Version, "leaveOut": blocked}, 201, &p)
	a.do("POST", fmt.Sprintf("/api/publications/%d/send", p.ID), object{}, 202, nil)
	require.Equal(t, "done", a.ends(p.ID).State)
	shown, err := a.store.ShownLines(t.Context(), "web", time.Date(2100, 1, 1, 0, 0, 0, 0, time.UTC), true, "", 1000)
	require.NoError(t, err)
	require.NotEmpty(t, shown)
	list := func(who string) map[string][][]string {
		status, data, _ := a.file("/api/price-list?channel=web&format=xlsx&who=" + who)
		require.Equal(t, 200, status, string(data))
		f, err := excelize.OpenReader(bytes.NewReader(data))
		require.NoError(t, err)
		rows, err := f.GetRows("Sheet1")
		require.NoError(t, err)
		of := map[string][][]string{}
		for _, r := range rows[4:] {
			of[r[1]] = append(of[r[1]], r)
		}
		return of
	}
	guests, schools := list(""), list("group:schools")
	for _, s := range shown {
		var l telling.Line
		require.NoError(t, json.Unmarshal(s.Line, &l))
		rows := guests[l.SKU]
		require.NotEmpty(t, rows, l.SKU)
		require.Equal(t, l.Price, rows[0][5], l.SKU)
		reference := ""
		if len(rows[0]) > 7 {
			reference = rows[0][7]
		}
		require.Equal(t, l.Reference, reference, l.SKU)
		require.Len(t, rows, 1+len(l.Breaks), l.SKU)
		for k, b := range l.Breaks {
			require.Equal(t, b.Price, rows[1+k][5], l.SKU)
		}
		want := l.Price
		if own, is := l.Groups["schools"]; is {
			want = own.Price
		}
		row := schools[l.SKU][0]
		require.Equal(t, want, row[5], "%s for schools", l.SKU)
		require.Empty(t, append(row, "", "")[7], "what guests saw is not what schools saved")
	}
}

// Labels are set of what the board leaves; bad input is told beside its cause.
func TestLabelsOfABoard(t *testing.T) {
	a := started(t, store.Reader)
	status, data, kind := a.file("/api/labels?channel=web&q=bat&sheet=52x30&skip=3")
	require.Equal(t, []any{200, "application/pdf"}, []any{status, kind})
	require.True(t, bytes.HasPrefix(data, []byte("%PDF-")))
	status, data, _ = a.file("/api/price-list?channel=web&title=%3Cb%3E&note=a%0Ab")
	require.Equal(t, 200, status)
	require.True(t, bytes.HasPrefix(data, []byte("%PDF-")))
	for path, part := range map[string]string{"/api/labels?channel=nowhere": "channel", "/api/labels?channel=web&sheet=1x1": "sheet",
		"/api/labels?channel=web&skip=-1": "skip", "/api/price-list?channel=web&margin=x": "margin", "/api/price-list": "channel"} {
		status, data, _ = a.file(path)
		require.GreaterOrEqual(t, status, 400, path)
		require.Contains(t, string(data), part, path)
	}
}
