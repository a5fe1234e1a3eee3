package server_test

import (
	"testing"

	"dogbane/internal/store"
)

// Sending everywhere takes what was looked at, something of it, and channels that there are; a choice of nothing is
// refused, as is a stale one.
func TestSendingEverywhereIsRefused(t *testing.T) {
	a := started(t, store.Manager)
	var looked struct {
		Version  int64
		Channels []struct{ Channel, Problem string }
	}
	a.do("GET", "/api/rollout?piece=rule+GLAZE-WEEK", nil, 200, &looked)
	for _, bad := range []struct {
		form object
		code int
	}{
		{object{"version": looked.Version}, 422},
		{object{"version": looked.Version, "pieces": []string{}}, 422},
		{object{"version": looked.Version, "pieces": []string{"rule GLAZE-WEEK"}, "channels": []string{}}, 422},
		{object{"version": looked.Version, "pieces": []string{"rule GLAZE-WEEK"}, "channels": []string{"<nowhere>"}}, 422},
		{object{"version": looked.Version, "pieces": []string{"GLAZE-WEEK 😀"}}, 422},
		{object{"version": looked.Version, "entry": 999_999}, 404},
		{object{"version": looked.Version + 1, "pieces": []string{"rule GLAZE-WEEK"}}, 409},
	} {
		a.do("POST", "/api/rollout", bad.form, bad.code, nil)
	}
	a.do("GET", "/api/rollout?piece=nothing", nil, 422, nil)
}
