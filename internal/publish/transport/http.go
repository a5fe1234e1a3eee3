// Package transport carries what a channel is told, and brings its answers back: over HTTP, or through a folder. What
// the bytes say belongs to package format, what is sent and what becomes of it to package publish.
package transport

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"path"
	"strconv"
	"strings"
	"time"

	"dogbane/internal/publish/format"
)

// Outcome is what came of asking a channel once.
type Outcome int

// The outcomes.
const (
	Answered  Outcome = iota // it dealt with the lines
	Reviewing                // it has taken them in and will tell
	Later                    // it wants to be asked again later
	Unknown                  // nobody knows what it did
	Newer                    // it has a newer publication
	Wrong                    // it wants nothing of this
	Missing                  // it does not know the review
	Late                     // nothing was sent: it was too late for that
)

// Result is what came of asking a channel once, and what it said.
type Result struct {
	Outcome Outcome
	Answers map[string]format.Answer
	Review  string
	After   time.Duration // how long it wants to be left alone
	Problem string
}

const (
	patience     = 20 * time.Second // for one answer
	longestWait  = 24 * time.Hour   // that Retry-After may ask for
	shortestWait = time.Second      // that is waited, whatever it says
	reviewPace   = 60 * time.Second // where the channel tells none
	largestReply = 16 << 20
)

// HTTP is a channel that is reached over HTTP at an address.
type HTTP struct{ Address, Token string }

// client follows no redirects: a part goes where somebody said it goes.
var client = &http.Client{
	CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	Transport: &http.Transport{MaxIdleConnsPerHost: 4, IdleConnTimeout: 30 * time.Second,
		Proxy: http.ProxyFromEnvironment},
}

// CheckAddress reports what is wrong with an address of a channel.
func CheckAddress(address string) error {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil || u.Fragment != "" ||
		u.RawQuery != "" {
		return errors.New("must be an http or https address, such as https://shop.example/interface")
	}
	return nil
}

func (c *HTTP) request(ctx context.Context, method, place string, body []byte) (*http.Request, error) {
	var reader io.Reader
	if body != nil {
		reader = bytes.NewReader(body)
	}
	req, err := http.NewRequestWithContext(ctx, method, strings.TrimSuffix(c.Address, "/")+place, reader)
	if err != nil {
		return nil, fmt.Errorf("address the channel: %w", err)
	}
	// Without it the client sends nothing a second time by itself when a kept connection breaks.
	req.GetBody = nil
	if c.Token != "" {
		req.Header.Set("Authorization", "Bearer "+c.Token)
	}
	return req, nil
}

// Put sends the bytes of a part once under its key, unless late says, when they are about to go out, that they must not
// any more.
func (c *HTTP) Put(ctx context.Context, key string, body []byte, late func() bool) Result {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	req, err := c.request(ctx, http.MethodPut, "/prices", body)
	if err != nil {
		return Result{Outcome: Wrong, Problem: err.Error()}
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Idempotency-Key", key)
	// What is asked for as it is written: a request whose body ends early is none.
	timely := &timely{Reader: bytes.NewReader(body), late: late}
	req.Body, req.ContentLength = io.NopCloser(timely), int64(len(body))
	r := c.ask(req)
	if timely.was && r.Outcome == Unknown {
		r.Outcome = Late
	}
	return r
}

// timely reads what is sent until that is late.
type timely struct {
	*bytes.Reader
	late func() bool
	was  bool
}

var errLate = errors.New("it is too late to send this")

func (t *timely) Read(p []byte) (int, error) {
	if t.was = t.was || t.late(); t.was {
		return 0, errLate
	}
	return t.Reader.Read(p)
}

// WriteTo is Read's: all at once would ask once.
func (t *timely) WriteTo(w io.Writer) (n int64, err error) {
	return io.Copy(w, struct{ io.Reader }{t})
}

// Review asks what became of a part that is reviewed.
func (c *HTTP) Review(ctx context.Context, review string) Result {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	req, err := c.request(ctx, http.MethodGet, review, nil)
	if err != nil {
		return Result{Outcome: Missing, Problem: err.Error()}
	}
	r := c.ask(req)
	if r.Outcome == Wrong && strings.HasPrefix(r.Problem, "the channel answered 404") {
		r.Outcome = Missing
	}
	if r.Outcome == Reviewing && r.Review == "" {
		r.Review = review
	}
	return r
}

// ask makes a request and says what the answer means.
func (c *HTTP) ask(req *http.Request) Result {
	resp, err := client.Do(req)
	if err != nil {
		return Result{Outcome: Unknown, Problem: "the channel cannot be reached: " + plain(err)}
	}
	defer resp.Body.Close()
	body := io.LimitReader(resp.Body, largestReply)
	after, told := retryAfter(resp.Header.Get("Retry-After"))
	switch code := resp.StatusCode; {
	case code == http.StatusOK:
		answers, err := format.ReadAnswers(body)
		if err != nil {
			return Result{Outcome: Unknown, Problem: "the channel's answer cannot be read: " + err.Error()}
		}
		return Result{Outcome: Answered, Answers: answers}
	case code == http.StatusAccepted:
		if !told {
			after = reviewPace
		}
		review, err := format.ReadReview(body)
		if err == nil {
			review, err = c.below(review)
		}
		if err != nil && req.Method == http.MethodPut {
			return Result{Outcome: Unknown, Problem: "the channel's answer cannot be read: " + err.Error()}
		}
		return Result{Outcome: Reviewing, Review: review, After: after}
	case (code == http.StatusTooManyRequests || code == http.StatusServiceUnavailable) && told:
		return Result{Outcome: Later, After: after, Problem: said(resp, body)}
	case code >= 500 || code == http.StatusTooManyRequests:
		return Result{Outcome: Unknown, Problem: said(resp, body)}
	case code == http.StatusConflict:
		return Result{Outcome: Newer, Problem: said(resp, body)}
	default:
		return Result{Outcome: Wrong, Problem: said(resp, body)}
	}
}

// said is a channel's refusal in its own words.
func said(resp *http.Response, body io.Reader) string {
	text, _ := io.ReadAll(io.LimitReader(body, 300))
	return strings.TrimSpace(fmt.Sprintf("the channel answered %s: %s", resp.Status, bytes.TrimSpace(text)))
}

// plain is a network error without the address, which people know, and which may be long.
func plain(err error) string {
	var of *url.Error
	if errors.As(err, &of) {
		if of.Timeout() {
			return fmt.Sprintf("no answer in %d seconds", int(patience.Seconds()))
		}
		return of.Err.Error()
	}
	return err.Error()
}

// below is a path that a channel names, if it lies below its address.
func (c *HTTP) below(review string) (string, error) {
	address := strings.TrimSuffix(c.Address, "/")
	review = strings.TrimPrefix(review, address)
	u, err := url.Parse(review)
	if err != nil || u.Host != "" || u.Scheme != "" || !strings.HasPrefix(u.Path, "/") || path.Clean(u.Path) != u.Path {
		return "", fmt.Errorf("%q is no path below its address", review)
	}
	return u.RequestURI(), nil
}

// retryAfter reads how long a channel wants to be left alone: in seconds or until a date (RFC 9110, section 10.2.3).
func retryAfter(text string) (time.Duration, bool) {
	if seconds, err := strconv.ParseInt(text, 10, 64); err == nil && seconds >= 0 {
		return max(time.Duration(min(seconds, int64(longestWait.Seconds())))*time.Second, shortestWait), true
	}
	if at, err := http.ParseTime(text); err == nil {
		return min(max(time.Until(at), shortestWait), longestWait), true
	}
	return 0, false
}

// Shown reads a page of what the channel shows, after a SKU; next is "" on the last.
func (c *HTTP) Shown(ctx context.Context, after string) (lines []format.ShownLine, next string, err error) {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	place := "/prices"
	if after != "" {
		place += "?after=" + url.QueryEscape(after)
	}
	req, err := c.request(ctx, http.MethodGet, place, nil)
	if err != nil {
		return nil, "", err
	}
	resp, err := client.Do(req)
	if err != nil {
		return nil, "", errors.New("the channel cannot be reached: " + plain(err))
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		return nil, "", errors.New(said(resp, resp.Body))
	}
	return format.ReadShown(io.LimitReader(resp.Body, largestReply))
}
