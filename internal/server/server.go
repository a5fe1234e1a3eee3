// Package server is the program's HTTP side: the API under /api, described by OpenAPI, and the front end's files. It
// turns requests into questions to the core and edits of the store; it computes no price.
package server

import (
	"context"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"path"
	"reflect"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
	"github.com/hashicorp/golang-lru/v2/expirable"

	"dogbane/internal/board"
	"dogbane/internal/book"
	"dogbane/internal/clock"
	"dogbane/internal/codes"
	"dogbane/internal/flagsearch"
	"dogbane/internal/impact"
	"dogbane/internal/intake"
	"dogbane/internal/jobs"
	"dogbane/internal/mail"
	"dogbane/internal/publish"
	"dogbane/internal/publish/sending"
	"dogbane/internal/publish/timing"
	"dogbane/internal/store"
)

// Parts are what the program is made of, and what its server answers from.
type Parts struct {
	Store    *store.Store
	Live     *book.Live
	Clocks   clock.Clocks
	Desk     *publish.Desk
	Schedule *timing.Schedule
	Comparer *sending.Comparer
	Sender   *sending.Sender
	Jobs     *jobs.Shelf
	Mail     *mail.Sender
}

// Server answers requests.
type Server struct {
	Parts
	buyers  *book.Buyers
	boards  *board.Boards
	impacts *impact.Impacts
	imports *intake.Imports
	flags   *flagsearch.Search
	counter *impact.Counter
	brake   *brake
	asked   lastAsked
	callers *callers
	uses    *codes.Recent
	known   *expirable.LRU[string, store.Person] // who was signed in not long ago, by token
	last    atomic.Pointer[State]

	// DemoEnds is called when another book has taken the place of the demo's; it may be nil.
	DemoEnds func()
}

// New makes a server of a program.
func New(p Parts) *Server {
	s := &Server{
		Parts:   p,
		brake:   newBrake(),
		callers: newCallers(),
		uses:    &codes.Recent{Keeper: p.Store},
		known:   expirable.NewLRU[string, store.Person](10_000, nil, outageGrace),
	}
	sweeps := board.NewSweeps()
	s.buyers = book.NewBuyers(p.Store.Purchases)
	s.boards = board.New(sweeps, s.buyers, func(ctx context.Context, snap *book.Snapshot, channel string,
		digits int) (board.Prices, error) {
		shown, err := p.Desk.Numbered(ctx, snap, channel, digits)
		if err != nil {
			return nil, err
		}
		return shown.At, nil
	})
	s.impacts = impact.New(sweeps, p.Store)
	s.imports = intake.NewImports(p.Store, p.Live, p.Clocks)
	s.flags = flagsearch.New(p.Clocks.Book, p.Store, s.asked.within)
	s.counter = impact.NewCounter(p.Store, p.Live)
	p.Live.OnSave(s.counter.Look)
	return s
}

// Work does what goes on beside requests, until ctx ends and nothing is under way any more.
func (s *Server) Work(ctx context.Context) {
	var all sync.WaitGroup
	watch := func(ctx context.Context) { s.Store.Watch(ctx, time.Second) }
	all.Go(func() { jobs.Steadily(ctx, "counting moved prices", s.counter.Run) })
	all.Go(func() { jobs.Steadily(ctx, "looking for flags", s.flags.Run) })
	all.Go(func() { jobs.Steadily(ctx, "watching the database", watch) })
	send := func(ctx context.Context) { s.Mail.Run(ctx, s.Store, time.Second) }
	all.Go(func() { jobs.Steadily(ctx, "sending mails", send) })
	all.Go(func() { jobs.Steadily(ctx, "sending prices", s.Sender.Run) })
	all.Go(func() { jobs.Steadily(ctx, "publishing what is due", s.Schedule.Run) })
	pack := func(ctx context.Context) { s.Store.PackDaily(ctx, s.Clocks.Book) }
	all.Go(func() { jobs.Steadily(ctx, "packing old lines", pack) })
	all.Go(func() { jobs.Steadily(ctx, "comparing what channels show", s.Comparer.Run) })
	all.Go(func() { s.getReady(ctx) })
	all.Wait()
	s.Jobs.Wait()
}

// getReady has at hand what channels are quoted from, before the first of their programs asks, and what differs in
// them, before the first person does.
func (s *Server) getReady(ctx context.Context) {
	snap := s.Live.Current()
	ready := func(what string, of func(channel string) error) {
		for i := range snap.Book.Channels {
			channel := snap.Book.Channels[i].Code
			if err := of(channel); err != nil && ctx.Err() == nil {
				slog.Warn("cannot make ready "+what, "channel", channel, "error", err)
			}
		}
	}
	ready("what a channel is quoted from", func(channel string) error {
		_, err := s.Desk.Quoted(ctx, snap, channel)
		return err
	})
	ready("what differs in a channel", func(channel string) error {
		now := s.Live.Current() // somebody may have saved meanwhile
		_, err := s.Desk.Differences(ctx, now, channel, s.moment(now))
		return err
	})
}

// Handler serves the API and the front end from web.
func (s *Server) Handler(web fs.FS) http.Handler {
	r := newRouter()
	r.Use(s.logged, recovered, guarded, sameSite, s.identified)
	r.HandleMethodNotAllowed = true
	s.register(r)
	files := http.FileServerFS(web)
	r.NoRoute(func(c *gin.Context) {
		path := c.Request.URL.Path
		if strings.HasPrefix(path, "/api") && personOf(c.Request.Context()).Name == "" {
			problem(c, http.StatusUnauthorized, signInFirst)
			return
		}
		if notAPage(path) || strings.HasPrefix(path, "/assets/") && !exists(web, path[1:]) {
			problem(c, http.StatusNotFound, "There is nothing at this address.")
			return
		}
		if path != "/" && exists(web, path[1:]) {
			if strings.HasPrefix(path, "/assets/") {
				c.Header("Cache-Control", "public, max-age=31536000, immutable")
			}
			files.ServeHTTP(c.Writer, c.Request)
			return
		}
		page, err := fs.ReadFile(web, "index.html")
		if err != nil {
			problem(c, http.StatusInternalServerError, "The front end is not built.")
			return
		}
		c.Header("Cache-Control", "no-cache")
		c.Data(http.StatusOK, "text/html; charset=utf-8", page)
	})
	r.NoMethod(func(c *gin.Context) {
		problem(c, http.StatusMethodNotAllowed, "This address does not take this method.")
	})
	return r
}

// notAPage reports whether an address is one for programs, which must not answer with the page.
func notAPage(path string) bool {
	for _, first := range []string{"/api", "/channel/", "/feeds/", "/images/", "/health", "/metrics"} {
		if strings.HasPrefix(path, first) {
			return true
		}
	}
	return false
}

// guarded says on every answer what a browser may do with it.
func guarded(c *gin.Context) {
	c.Header("X-Content-Type-Options", "nosniff")
	c.Header("Referrer-Policy", "same-origin")
	c.Header(
		"Content-Security-Policy",
		"default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'; object-src 'none'",
	)
	if strings.HasPrefix(c.Request.URL.Path, "/api") {
		c.Header("Cache-Control", "no-store")
	}
}

func exists(web fs.FS, path string) bool {
	info, err := fs.Stat(web, path)
	return err == nil && !info.IsDir()
}

func (s *Server) logged(c *gin.Context) {
	begun := time.Now()
	s.asked.note(c.Request.URL.Path)
	c.Next()
	s.asked.note(c.Request.URL.Path)
	slog.Debug("request", "method", c.Request.Method, "path", c.Request.URL.Path, "status", c.Writer.Status(), "took",
		time.Since(begun))
}

func recovered(c *gin.Context) {
	defer func() {
		if r := recover(); r != nil {
			if r == http.ErrAbortHandler {
				panic(r) // the answer is not whole: the connection breaks off
			}
			slog.Error("a request failed unexpectedly", "path", c.Request.URL.Path, "panic", fmt.Sprint(r))
			problem(c, http.StatusInternalServerError, "Something went wrong here. It has been noted in the program's log.")
		}
	}()
	c.Next()
}

// sameSite refuses writes that another site's page makes a browser send, and requests to a name that is not this
// machine's (DNS rebinding).
func sameSite(c *gin.Context) {
	host, _, _ := strings.Cut(c.Request.Host, ":")
	if host != "127.0.0.1" && host != "localhost" && host != "[" {
		problem(c, http.StatusForbidden, "This server answers to 127.0.0.1 and localhost only.")
		return
	}
	if err := http.NewCrossOriginProtection().Check(c.Request); err != nil {
		problem(c, http.StatusForbidden, "Another site's page sent this request.")
	}
}

// API registers the operations on a router and returns their description.
func (s *Server) register(r *gin.Engine) huma.API {
	huma.DefaultArrayNullable = false
	huma.NewError = newError
	config := huma.DefaultConfig("Dogbane", "0.1.0")
	config.DocsPath, config.SchemasPath, config.CreateHooks = "", "", nil
	config.OpenAPIPath = "/api/openapi"
	registry := huma.NewMapRegistry("#/components/schemas/", schemaName)
	config.Components = &huma.Components{Schemas: registry}
	api := humagin.New(r, config)
	api.UseMiddleware(admit(api))
	for _, register := range []func(huma.API){
		s.registerSession, s.registerSetUp, s.registerPeople, s.registerViews, s.registerState, s.registerLog,
		s.registerBoard, s.registerPaper, s.registerOnePrice, s.registerPrices, s.registerBasket, s.registerFlags,
		s.registerRules, s.registerImpact, s.registerItems, s.registerLayers, s.registerProducts,
		s.registerPublish, s.registerLinks,
		s.registerDue, s.registerTurn, s.registerRollout, s.registerBook, s.registerBulk,
		s.registerEdits, s.registerChecks, s.registerImports, s.registerSales, s.registerAgreed, s.registerSettings,
		s.registerCalendar, s.registerLater, s.registerKeeps,
		s.registerJobs, s.registerCodes, s.registerKeys, s.registerChannel, s.registerStorefront,
		s.registerImages, s.registerFeeds, s.registerPrograms,
	} {
		register(api)
	}
	r.HEAD("/feeds/:file", func(c *gin.Context) { // RFC 9110, section 9.3.2: as GET, but for the content
		c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), headOnly{}, true))
		c.Request.Method = http.MethodGet
		r.HandleContext(c)
	})
	return api
}

// headOnly marks a request of which the header of the answer alone is wanted.
type headOnly struct{}

// schemaName names a type of an answer: types of other packages carry the package's name.
func schemaName(t reflect.Type, hint string) string {
	name := huma.DefaultSchemaNamer(t, hint)
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	from := path.Base(t.PkgPath())
	if t.Name() == "" || strings.Contains(t.Name(), "[") || !strings.HasPrefix(t.PkgPath(), "dogbane/") ||
		from == "server" || from == "bookfile" {
		return name
	}
	return strings.ToUpper(from[:1]) + from[1:] + name
}

func newRouter() *gin.Engine {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.UseRawPath, r.UnescapePathValues = true, true // a SKU may hold a slash
	return r
}

// OpenAPI is the API's description as JSON, without a running server.
func OpenAPI() ([]byte, error) {
	api := (&Server{}).register(newRouter())
	return api.OpenAPI().MarshalJSON()
}
