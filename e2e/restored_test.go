package e2e

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// A database that is put back from a copy gives no number again that a channel knows with other contents, and each
// channel is compared before it is sent anything; the program sees it by itself.
func TestADatabaseIsPutBack(t *testing.T) {
	t.Parallel()
	p, out, c := small(t, "", "")
	p.tellsAll(t, c)
	password := p.password
	data, copied := p.data, filepath.Join(t.TempDir(), "copy")
	p.stop()
	require.NoError(t, os.CopyFS(copied, os.DirFS(filepath.Join(data, "mariadb"))))
	again := func() {
		p = start(t, data, "--empty")
		p.password = password
		c = p.admin(t)
	}
	again()
	p.saves(t, c, oneOff)
	p.tellsAll(t, c)
	require.Equal(t, "9.00", out.Prices()["A & <b>"])
	p.stop()
	require.NoError(t, os.RemoveAll(filepath.Join(data, "mariadb")))
	require.NoError(t, os.CopyFS(filepath.Join(data, "mariadb"), os.DirFS(copied)))
	before := time.Now().Unix()
	again()
	p.saves(t, c, twoOff)
	s := tell[sent](t, c, "POST", p.url+"/api/channels/web/publications", map[string]any{"version": p.saved(t, c)}, 201)
	require.GreaterOrEqual(t, s.ID, before)
	tell[sent](t, c, "POST", p.url+"/api/publications/"+text(s.ID)+"/send", map[string]any{}, 202)
	require.Equal(t, "done", p.ends(t, c, s.ID).State)
	require.Equal(t, "18.00", out.Prices()["B"])
	drifts := tell[struct {
		Drifts []struct{ SKU, Took, Shows string }
	}](t, c, "GET", p.url+"/api/channels/web/drifts", nil, 200).Drifts
	require.Equal(t, "A & <b>", drifts[0].SKU, "what it took since the copy is seen")
	require.Equal(t, "9.00", drifts[0].Shows)
	out.Check(t)
}
