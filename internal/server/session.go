package server

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"dogbane/internal/demo"
	"dogbane/internal/store"
)

// Session says who is signed in, and on the demo's sign-in page who could be.
type Session struct {
	Name       string        `json:"name" doc:"empty: nobody is signed in"`
	FullName   string        `json:"fullName"`
	Role       string        `json:"role" enum:",reader,manager,approver,administrator"`
	MustChange bool          `json:"mustChange,omitempty" doc:"the own password has to be set: the present one is known to all, or to nobody"`
	Demo       []DemoAccount `json:"demo" doc:"the demo's accounts, while nobody is signed in"`
}

// DemoAccount is an account of the demo with its password, which is no secret.
type DemoAccount struct {
	Name     string `json:"name"`
	FullName string `json:"fullName"`
	Role     string `json:"role"`
	Password string `json:"password"`
}

// SignInForm is who wants to sign in.
type SignInForm struct {
	Name     string `json:"name" maxLength:"60"`
	Password string `json:"password" maxLength:"500"`
}

const (
	sessionLength = 14 * time.Hour
	deviceLength  = 365 * 24 * time.Hour
	// outageGrace is how long somebody seen before an outage of the database stays signed in during it.
	outageGrace = 10 * time.Minute
	// hangs is how long the database may take for what every page asks all the time; then it does not answer.
	hangs = 3 * time.Second
)

type personKey struct{}

// visit is who sends a request, and how.
type visit struct {
	person        store.Person
	token, device string // of the cookies
	cookie        string // the name of the session's
	address       string
	secure        bool // over TLS
}

func visitOf(ctx context.Context) visit {
	v, _ := ctx.Value(personKey{}).(visit)
	return v
}

// personOf is who sent a request.
func personOf(ctx context.Context) store.Person { return visitOf(ctx).person }

// cookieName is that of the session of the program at a host: of two programs on one machine, each has its own.
func cookieName(host string) string {
	if _, port, err := net.SplitHostPort(host); err == nil && port != "" {
		return "dogbane-" + port
	}
	return "dogbane"
}

func (s *Server) registerSession(api huma.API) {
	answers(api, anybody, http.MethodGet, "/api/session", func(ctx context.Context, _ *none) (Session,
		error) {
		return s.session(ctx)
	})
	on(api, anybody, http.MethodPost, "/api/session", func(ctx context.Context, in *struct{ Body SignInForm }) (*signedIn,
		error) {
		return s.signIn(ctx, &in.Body)
	})
	on(api, anybody, http.MethodDelete, "/api/session", func(ctx context.Context, _ *none) (*signedOut, error) {
		return s.signOut(ctx)
	}, answering(http.StatusNoContent))
}

// session is who is signed in and, in the demo, who could be.
func (s *Server) session(ctx context.Context) (Session, error) {
	p := personOf(ctx)
	out := sessionFor(p)
	if p.Name != "" {
		return out, nil
	}
	isDemo, err := s.Store.Fact(ctx, "demo-now")
	if err != nil || isDemo == "" {
		return out, err
	}
	for _, one := range demo.People() {
		out.Demo = append(out.Demo, DemoAccount{one.Name, one.FullName, one.Role, demo.Password})
	}
	return out, nil
}

type signedOut struct {
	SetCookie []http.Cookie `header:"Set-Cookie"`
}

func (s *Server) signOut(ctx context.Context) (*signedOut, error) {
	v := visitOf(ctx)
	s.known.Remove(v.token)
	if err := s.Store.SignOut(ctx, v.token); err != nil {
		return nil, err
	}
	if v.person.Name != "" {
		s.record(ctx, v.person.Name, store.SignedOutEvent, "")
	}
	return &signedOut{[]http.Cookie{v.makeCookie(v.cookie, "", -1)}}, nil
}

type signedIn struct {
	SetCookie []http.Cookie `header:"Set-Cookie"`
	Body      Session
}

func sessionFor(p store.Person) Session {
	return Session{Name: p.Name, FullName: p.FullName, Role: string(p.Role), MustChange: p.MustChange,
		Demo: []DemoAccount{}}
}

func (s *Server) signIn(ctx context.Context, form *SignInForm) (*signedIn, error) {
	v, now := visitOf(ctx), s.Clocks.Machine()
	p, known, err := s.checkPassword(ctx, form.Name, form.Password)
	if err != nil {
		return nil, err
	}
	token, err := s.Store.BeginSession(ctx, p.Name, now, sessionLength)
	if err != nil {
		return nil, asProblem(err)
	}
	out := &signedIn{Body: sessionFor(p), SetCookie: []http.Cookie{v.makeCookie(v.cookie, token,
		int(sessionLength.Seconds()))}}
	if !known {
		device, err := s.Store.RememberDevice(ctx, p.Name, now)
		if err != nil {
			return nil, asProblem(err)
		}
		out.SetCookie = append(out.SetCookie, v.makeCookie(v.cookie+"-device", device, int(deviceLength.Seconds())))
	}
	s.record(ctx, p.Name, store.SignedInEvent, "from "+v.address)
	return out, nil
}

// checkPassword finds who a name and a password belong to, unless too many were guessed; known says that the browser is
// one from which they have signed in before.
func (s *Server) checkPassword(ctx context.Context, name, password string) (p store.Person, known bool, err error) {
	v := visitOf(ctx)
	name = store.NormalName(name)
	device := ""
	if v.device != "" {
		if known, err = s.Store.KnowsDevice(ctx, name, v.device); err != nil {
			return p, false, asProblem(err)
		}
		if known {
			device = v.device
		}
	}
	counted, wait := s.brake.count(name, v.address, device, s.Clocks.Machine())
	if wait > 0 {
		seconds := int(wait.Seconds()) + 1
		return p, known, huma.ErrorWithHeaders(huma.Error429TooManyRequests(
			fmt.Sprintf("Too many wrong passwords. Try again in %d seconds.", seconds)),
			http.Header{"Retry-After": {fmt.Sprint(seconds)}})
	}
	p, err = s.Store.CheckPassword(ctx, name, password)
	counted.end(err == nil, s.Clocks.Machine())
	if errors.Is(err, store.ErrWrongPassword) {
		s.record(ctx, name, store.RefusedEvent, "from "+v.address)
		return p, known, huma.Error401Unauthorized("Name and password do not belong together.")
	}
	if err != nil {
		return p, known, asProblem(err)
	}
	return p, known, nil
}

// record keeps what happened beside the book. That it cannot be kept is no reason to refuse what happened.
func (s *Server) record(ctx context.Context, who, what, detail string) {
	slog.Info("journal", "who", who, "what", what, "detail", detail)
	if err := s.Store.Record(context.WithoutCancel(ctx), store.Event{At: s.Clocks.Book(), Who: who, What: what,
		Detail: detail}); err != nil {
		slog.Error("cannot keep what happened", "what", what, "error", err)
	}
}

// makeCookie makes a cookie that no script reads and no other site sends.
func (v *visit) makeCookie(name, value string, seconds int) http.Cookie {
	return http.Cookie{Name: name, Value: value, Path: "/", MaxAge: seconds, HttpOnly: true, Secure: v.secure,
		SameSite: http.SameSiteStrictMode}
}

// identified finds out who sends a request.
func (s *Server) identified(c *gin.Context) {
	path := c.Request.URL.Path
	if !strings.HasPrefix(path, "/api/") || path == "/api/openapi.json" || path == "/api/openapi.yaml" {
		return
	}
	v := visit{cookie: cookieName(c.Request.Host), secure: c.Request.TLS != nil ||
		strings.EqualFold(c.GetHeader("X-Forwarded-Proto"), "https")}
	v.address, _, _ = net.SplitHostPort(c.Request.RemoteAddr)
	v.device, _ = c.Cookie(v.cookie + "-device")
	if token, err := c.Cookie(v.cookie); err == nil && token != "" {
		v.token = token
		p, err := s.whoseToken(c.Request.Context(), token)
		switch {
		case err == nil:
			v.person = p
		case !errors.Is(err, store.ErrNotFound):
			writeProblem(c, asProblem(err))
			return
		}
	}
	c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), personKey{}, v))
}

// whoseToken is who a session belongs to. While the database cannot be used, whoever was seen not long ago stays signed
// in.
func (s *Server) whoseToken(ctx context.Context, token string) (store.Person, error) {
	if s.Store.Outage() != nil {
		if known, seen := s.known.Get(token); seen {
			return known, nil
		}
	}
	asking, cancel := context.WithTimeout(ctx, hangs)
	defer cancel()
	p, err := s.Store.SignedIn(asking, token, s.Clocks.Machine())
	var outage *store.Outage
	switch {
	case err == nil:
		s.known.Add(token, p)
	case errors.As(err, &outage), errors.Is(err, context.DeadlineExceeded) && ctx.Err() == nil:
		if known, seen := s.known.Get(token); seen {
			return known, nil
		}
	case errors.Is(err, store.ErrNotFound):
		s.known.Remove(token)
	}
	return p, err
}
