// Package server is the program's HTTP side: the API under /api, described by OpenAPI, and the front end's files. It
// turns requests into questions to the core and edits of the store; it computes no price.
package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"regexp"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
	"github.com/hashicorp/golang-lru/v2/expirable"

	"dogbane/internal/bookfile"
	"dogbane/internal/checks"
	"dogbane/internal/pricing"
	"dogbane/internal/publish"
	"dogbane/internal/store"
)

// Server answers requests.
type Server struct {
	store     *store.Store
	live      *store.Live
	now       func() time.Time
	publisher *publish.Publisher
	sweeps    *sweepCache
	flags     flagCache
	shown     shownCache
	imports   importShelf
	jobs      jobShelf
	asked     lastAsked
	purchases purchaseCache
	brake     *brake
	seen      *expirable.LRU[string, store.Person] // who was signed in not long ago, by token
	last      atomic.Pointer[State]
	moved     *movedCounter

	// DemoEnds is called when another book has taken the place of the demo's; it may be nil.
	DemoEnds func()
}

// New makes a server over a store. now is the program's clock.
func New(s *store.Store, live *store.Live, now func() time.Time) *Server {
	srv := &Server{store: s, live: live, now: now, sweeps: newSweepCache(), brake: newBrake(),
		seen: expirable.NewLRU[string, store.Person](10_000, nil, outageGrace)}
	srv.moved = newMovedCounter(srv)
	srv.shown.byChannel = map[string]map[string]store.Shown{}
	srv.publisher = &publish.Publisher{Store: s, Now: now, Done: srv.shown.forget}
	return srv
}

// Work does what goes on beside requests, until ctx ends.
func (s *Server) Work(ctx context.Context) {
	var both sync.WaitGroup
	both.Go(func() { s.moved.run(ctx) })
	both.Go(func() { s.store.Watch(ctx, time.Second) })
	both.Wait()
}

// Handler serves the API and the front end from web.
func (s *Server) Handler(web fs.FS) http.Handler {
	r := newRouter()
	r.Use(s.logged, recovered, guarded, sameSite, s.admitted, noteBreaksSeen, boundUploads)
	r.HandleMethodNotAllowed = true
	s.register(r)
	files := http.FileServerFS(web)
	r.NoRoute(func(c *gin.Context) {
		path := c.Request.URL.Path
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
	for _, first := range []string{"/api", "/health", "/metrics"} {
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
	c.Header("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'; object-src 'none'")
	if strings.HasPrefix(c.Request.URL.Path, "/api") {
		c.Header("Cache-Control", "no-store")
	}
}

func exists(web fs.FS, path string) bool {
	info, err := fs.Stat(web, path)
	return err == nil && !info.IsDir()
}

func problem(c *gin.Context, status int, detail string) {
	c.Header("Content-Type", "application/problem+json")
	c.AbortWithStatusJSON(status, huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: detail})
}

func (s *Server) logged(c *gin.Context) {
	begun := time.Now()
	s.asked.note(c.Request.URL.Path)
	c.Next()
	s.asked.note(c.Request.URL.Path)
	slog.Debug("request", "method", c.Request.Method, "path", c.Request.URL.Path, "status", c.Writer.Status(), "took", time.Since(begun))
}

func recovered(c *gin.Context) {
	defer func() {
		if r := recover(); r != nil {
			slog.Error("a request failed unexpectedly", "path", c.Request.URL.Path, "panic", fmt.Sprint(r))
			problem(c, http.StatusInternalServerError, "Something went wrong here. It has been noted in the program's log.")
		}
	}()
	c.Next()
}

// boundUploads refuses a file that is too large while it comes in, and removes what was kept of one.
func boundUploads(c *gin.Context) {
	if c.Request.URL.Path != "/api/imports" || c.Request.Method != http.MethodPost {
		return
	}
	const most = largestFile + 1<<20 // and the form around it
	if c.Request.ContentLength > most {
		c.Header("Connection", "close") // the rest is not read
		problem(c, http.StatusRequestEntityTooLarge, tooLarge)
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, most)
	defer func() {
		if form := c.Request.MultipartForm; form != nil {
			if err := form.RemoveAll(); err != nil {
				slog.Warn("cannot remove an uploaded file", "error", err)
			}
		}
	}()
	if err := c.Request.ParseMultipartForm(most); err != nil {
		var over *http.MaxBytesError
		if errors.As(err, &over) {
			c.Header("Connection", "close")
			problem(c, http.StatusRequestEntityTooLarge, tooLarge)
			return
		}
		problem(c, http.StatusUnprocessableEntity, "Send the file as the field “file” of a form (multipart/form-data).")
		return
	}
	c.Next()
}

const tooLarge = "The file is larger than 64 MB. Split it."

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
	api := humagin.New(r, config)
	s.registerSession(api)
	s.registerSetUp(api)
	s.registerPeople(api)
	s.registerState(api)
	s.registerPrices(api)
	s.registerRules(api)
	s.registerProducts(api)
	s.registerPublish(api)
	s.registerBook(api)
	s.registerOutlook(api)
	s.registerBulk(api)
	s.registerWords(api)
	s.registerExport(api)
	s.registerSavedViews(api)
	s.registerItems(api)
	s.registerEdits(api)
	s.registerChecks(api)
	s.registerImports(api)
	s.registerAgreed(api)
	s.registerSales(api)
	s.registerSettings(api)
	s.registerCalendar(api)
	s.registerJobs(api)
	s.registerBatch(api)
	return api
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

// newError keeps the inside of the program out of answers.
func newError(status int, message string, errs ...error) huma.StatusError {
	e := &huma.ErrorModel{Status: status, Title: http.StatusText(status), Detail: message}
	for _, err := range errs {
		var detail *huma.ErrorDetail
		if errors.As(err, &detail) {
			e.Errors = append(e.Errors, &huma.ErrorDetail{Message: withoutInside(detail.Message), Location: detail.Location})
		} else if err != nil && status < http.StatusInternalServerError {
			e.Errors = append(e.Errors, plainDetail(err))
		} else if err != nil {
			slog.Error("request failed", "error", err)
		}
	}
	return e
}

// plainDetail words an error of reading a request without the inside of the program.
func plainDetail(err error) *huma.ErrorDetail {
	var kind *json.UnmarshalTypeError
	var syntax *json.SyntaxError
	switch {
	case errors.As(err, &kind):
		return &huma.ErrorDetail{Location: "body." + kind.Field, Message: "must not be a JSON " + kind.Value}
	case errors.As(err, &syntax):
		return &huma.ErrorDetail{Location: "body", Message: fmt.Sprintf("is no JSON, at byte %d", syntax.Offset)}
	case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF):
		return &huma.ErrorDetail{Location: "body", Message: "ends in the middle"}
	}
	return &huma.ErrorDetail{Message: withoutInside(err.Error())}
}

// tellsInside finds what JSON and number readers say of how the program is made. Names that people gave may hold any word,
// so only their own beginnings, and phrases that nobody writes, count.
var tellsInside = regexp.MustCompile(`^(json: |strconv\.|invalid character )|Go (struct field|value of type) `)

// withoutInside is a message that tells nothing of how the program is made.
func withoutInside(text string) string {
	if tellsInside.MatchString(text) {
		slog.Debug("a request cannot be read", "error", text)
		return "cannot be read as what is wanted here"
	}
	return text
}

// Stale is the problem document of a write that was based on something that has changed since.
type Stale struct {
	huma.ErrorModel
	Now any `json:"now" doc:"what it is now; null where it was deleted"`
}

// asProblem turns an error of the core or the store into a problem document.
func asProblem(err error) error {
	var question *pricing.QuestionError
	var doc bookfile.Errors
	var conflict *store.Conflict
	var undecided *publish.Undecided
	var broken *checks.BrokenError
	var outage *store.Outage
	switch {
	case err == nil:
		return nil
	case errors.As(err, &question):
		e := &huma.ErrorModel{Status: http.StatusUnprocessableEntity, Title: http.StatusText(http.StatusUnprocessableEntity), Detail: question.Problem}
		e.Errors = []*huma.ErrorDetail{{Location: question.Path, Message: question.Problem}}
		return e
	case errors.As(err, &doc):
		e := &huma.ErrorModel{Status: http.StatusUnprocessableEntity, Title: http.StatusText(http.StatusUnprocessableEntity), Detail: "This cannot be saved as it is."}
		for _, d := range doc {
			e.Errors = append(e.Errors, &huma.ErrorDetail{Location: d.Path, Message: d.Problem, Value: d.Value})
		}
		return e
	case errors.As(err, &conflict):
		return &Stale{huma.ErrorModel{Status: http.StatusPreconditionFailed, Title: http.StatusText(http.StatusPreconditionFailed), Detail: "Somebody else has changed this in the meantime."}, conflict.Now}
	case errors.As(err, &broken):
		return &Breaks{huma.ErrorModel{Status: http.StatusConflict, Title: http.StatusText(http.StatusConflict), Detail: broken.Error()}, brokenChecks(broken.Checks)}
	case errors.As(err, &undecided):
		e := &huma.ErrorModel{Status: http.StatusConflict, Title: http.StatusText(http.StatusConflict), Detail: undecided.Error()}
		for _, sku := range undecided.SKUs {
			e.Errors = append(e.Errors, &huma.ErrorDetail{Location: sku, Message: "below cost"})
		}
		return e
	case errors.Is(err, publish.ErrNothing):
		return huma.Error409Conflict("The channel already shows all of this.")
	case errors.Is(err, publish.ErrUnlinked):
		return huma.Error409Conflict("This channel is not connected: nothing says where its prices are to be sent. They are worked out and compared all the same.")
	case errors.Is(err, store.ErrBusy):
		return huma.Error409Conflict("A publication to this channel is under way.")
	case errors.Is(err, store.ErrNotFound):
		return huma.Error404NotFound("There is no such thing.")
	case errors.As(err, &outage):
		return huma.ErrorWithHeaders(huma.NewError(http.StatusServiceUnavailable, outageText(outage)+" Nothing was saved; it is tried again by itself."), http.Header{"Retry-After": {"2"}})
	case errors.Is(err, context.Canceled):
		return huma.NewError(499, "The request was given up.")
	}
	var status huma.StatusError
	if errors.As(err, &status) {
		return err
	}
	slog.Error("request failed", "error", err)
	return huma.Error500InternalServerError("Something went wrong here. It has been noted in the program's log.")
}

// outageText says what is wrong with the database, and since when.
func outageText(o *store.Outage) string {
	reason := strings.ToUpper(o.Reason[:1]) + o.Reason[1:]
	return fmt.Sprintf("%s, since %s.", reason, o.Since.UTC().Format("2006-01-02 15:04:05 UTC"))
}

// writeProblem answers a problem outside of an operation.
func writeProblem(c *gin.Context, err error) {
	status, detail := http.StatusInternalServerError, "Something went wrong here. It has been noted in the program's log."
	var said huma.StatusError
	if errors.As(err, &said) {
		status, detail = said.GetStatus(), said.Error()
	}
	if status == http.StatusServiceUnavailable {
		c.Header("Retry-After", "2")
	}
	problem(c, status, detail)
}

// invalid is a problem with one value of the request.
func invalid(location, message string) error {
	e := &huma.ErrorModel{Status: http.StatusUnprocessableEntity, Title: http.StatusText(http.StatusUnprocessableEntity), Detail: message}
	e.Errors = []*huma.ErrorDetail{{Location: location, Message: message}}
	return e
}
