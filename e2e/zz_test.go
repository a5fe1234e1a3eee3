package e2e

import (
	"os"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod/lib/proto"

	"dogbane/internal/demo"
)

func TestZZ(t *testing.T) {
	base := "http://127.0.0.1:7811"
	pg := browser.MustIncognito().MustPage(base)
	pg.MustSetViewport(1280, 800, 1, false)
	pg.MustWaitLoad()
	time.Sleep(time.Second)
	who := os.Getenv("ZZ_WHO")
	if who == "" {
		who = "maren"
	}
	pg.MustEval(`(n, p) => fetch("/api/session", {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({name: n, password: p})}).then(r => r.status)`, who, demo.Password)
	if os.Getenv("ZZ_DARK") != "" {
		pg.MustEval(`() => localStorage.setItem("theme", "dark")`)
	}
	for _, one := range strings.Split(os.Getenv("ZZ_PATHS"), "\n") {
		if one = strings.TrimSpace(one); one == "" {
			continue
		}
		name, path, _ := strings.Cut(one, " ")
		script := ""
		if at := strings.Index(path, " js:"); at >= 0 {
			path, script = path[:at], path[at+4:]
		}
		if !strings.HasPrefix(path, "http") {
			path = base + path
		}
		pg.MustNavigate(path)
		pg.MustWaitLoad()
		time.Sleep(1500 * time.Millisecond)
		if script != "" {
			t.Log(pg.MustEval(script).String())
			time.Sleep(900 * time.Millisecond)
		}
		data, err := pg.Screenshot(false, &proto.PageCaptureScreenshot{})
		if err != nil {
			t.Fatal(err)
		}
		_ = os.WriteFile("/tmp/shot-"+name+".png", data, 0o600)
	}
}
