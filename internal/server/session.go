package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"dogbane/internal/demo"
	"dogbane/internal/store"
)

// Session says who is signed in, and on the demo's sign-in page who could be.
type Session struct {
	Name     string        `json:"name" doc:"empty: nobody is signed in"`
	FullName string        `json:"fullName"`
	Role     string        `json:"role" enum:",reader,manager,approver,administrator"`
	Demo     []DemoAccount `json:"demo" doc:"the demo's accounts, while nobody is signed in"`
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
	cookieName    = "dogbane"
	sessionLength = 14 * time.Hour
)

type personKey struct{}

// personOf is who sent a request.
func personOf(ctx context.Context) store.Person {
	p, _ := ctx.Value(personKey{}).(store.Person)
	return p
}

func (s *Server) registerSession(api huma.API) {
	huma.Get(api, "/api/session", func(ctx context.Context, _ *struct{}) (*body[Session], error) {
		p := personOf(ctx)
		out := Session{Name: p.Name, FullName: p.FullName, Role: string(p.Role), Demo: []DemoAccount{}}
		if p.Name == "" {
			isDemo, err := s.store.Fact(ctx, "demo-now")
			if err != nil {
				return nil, asProblem(err)
			}
			if isDemo != "" {
				for _, one := range demo.People() {
					out.Demo = append(out.Demo, DemoAccount{one.Name, one.FullName, one.Role, demo.Password})
				}
			}
		}
		return &body[Session]{out}, nil
	})
	huma.Register(api, huma.Operation{Method: http.MethodPost, Path: "/api/session"}, func(ctx context.Context, in *struct{ Body SignInForm }) (*struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
		Body      Session
	}, error) {
		now := time.Now()
		if wait := s.attempts.wait(in.Body.Name, now); wait > 0 {
			return nil, huma.ErrorWithHeaders(huma.Error429TooManyRequests(fmt.Sprintf("Too many wrong passwords. Try again in %d seconds.", int(wait.Seconds())+1)),
				http.Header{"Retry-After": {fmt.Sprint(int(wait.Seconds()) + 1)}})
		}
		p, token, err := s.store.SignIn(ctx, in.Body.Name, in.Body.Password, now, sessionLength)
		if errors.Is(err, store.ErrWrongPassword) {
			s.attempts.failed(in.Body.Name, now)
			return nil, huma.Error401Unauthorized("Name and password do not belong together.")
		}
		if err != nil {
			return nil, asProblem(err)
		}
		s.attempts.succeeded(in.Body.Name)
		out := &struct {
			SetCookie http.Cookie `header:"Set-Cookie"`
			Body      Session
		}{SetCookie: cookie(token, int(sessionLength.Seconds())), Body: Session{Name: p.Name, FullName: p.FullName, Role: string(p.Role), Demo: []DemoAccount{}}}
		return out, nil
	})
	huma.Register(api, huma.Operation{Method: http.MethodDelete, Path: "/api/session", DefaultStatus: http.StatusNoContent}, func(ctx context.Context, in *struct {
		Token string `cookie:"dogbane"`
	}) (*struct {
		SetCookie http.Cookie `header:"Set-Cookie"`
	}, error) {
		if err := s.store.SignOut(ctx, in.Token); err != nil {
			return nil, asProblem(err)
		}
		return &struct {
			SetCookie http.Cookie `header:"Set-Cookie"`
		}{cookie("", -1)}, nil
	})
}

// cookie holds the session's token where no script reads it and no other site sends it. It goes without Secure: the
// server speaks plain HTTP on loopback, and a proxy that adds TLS adds that too.
func cookie(token string, seconds int) http.Cookie {
	return http.Cookie{Name: cookieName, Value: token, Path: "/", MaxAge: seconds, HttpOnly: true, SameSite: http.SameSiteStrictMode}
}

// admitted finds out who sends a request and refuses what that person may not do.
func (s *Server) admitted(c *gin.Context) {
	path := c.Request.URL.Path
	if !strings.HasPrefix(path, "/api/") || path == "/api/openapi.json" || path == "/api/openapi.yaml" {
		return
	}
	if token, err := c.Cookie(cookieName); err == nil && token != "" {
		p, err := s.store.SignedIn(c.Request.Context(), token, time.Now())
		switch {
		case err == nil:
			c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), personKey{}, p))
		case !errors.Is(err, store.ErrNotFound):
			_ = asProblem(err)
			problem(c, http.StatusInternalServerError, "Something went wrong here. It has been noted in the program's log.")
			return
		}
	}
	if path == "/api/session" {
		return
	}
	p := personOf(c.Request.Context())
	if p.Name == "" {
		problem(c, http.StatusUnauthorized, "Sign in first.")
		return
	}
	if needs := roleFor(c.Request.Method, path); !p.Role.May(needs) {
		problem(c, http.StatusForbidden, fmt.Sprintf("This needs the role %s; you are signed in as %s.", roleNames[needs], roleNames[p.Role]))
	}
}

var roleNames = map[store.Role]string{store.Reader: "reader", store.Manager: "pricing manager", store.Approver: "approver", store.Administrator: "administrator"}

// questions are the requests that are sent with POST and change nothing, besides all that end with /preview.
var questions = []string{"/api/impact", "/api/impact/nearest", "/api/sku-list", "/api/book/compare"}

// roleFor is the least role that a request needs.
func roleFor(method, path string) store.Role {
	switch {
	case strings.HasPrefix(path, "/api/people"):
		return store.Administrator
	case method == http.MethodGet || method == http.MethodHead:
		return store.Reader
	case path == "/api/password" || strings.HasPrefix(path, "/api/saved-views"):
		return store.Reader
	case path == "/api/book" && method == http.MethodPut:
		return store.Administrator
	}
	if method == http.MethodPost && !strings.HasPrefix(path, "/api/imports") { // nobody but who may import holds files here
		if slices.Contains(questions, path) || strings.HasSuffix(path, "/preview") {
			return store.Reader
		}
	}
	return store.Manager
}

// attempts slows down the guessing of passwords, by name.
type attempts struct {
	mu     sync.Mutex
	byName map[string]attempt
}

type attempt struct {
	failed int
	until  time.Time
}

const (
	freeAttempts = 5
	longestWait  = 15 * time.Minute
)

func (a *attempts) wait(name string, now time.Time) time.Duration {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.byName[name].until.Sub(now)
}

func (a *attempts) failed(name string, now time.Time) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.byName == nil || len(a.byName) > 10_000 { // nobody fills the memory with names
		a.byName = map[string]attempt{}
	}
	one := a.byName[name]
	if one.failed++; one.failed >= freeAttempts {
		one.until = now.Add(min(longestWait, time.Second<<min(one.failed-freeAttempts+2, 12)))
	}
	a.byName[name] = one
}

func (a *attempts) succeeded(name string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	delete(a.byName, name)
}
