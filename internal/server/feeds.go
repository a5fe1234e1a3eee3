package server

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/sync/errgroup"

	"dogbane/internal/money"
	"dogbane/internal/publish"
	"dogbane/internal/publish/format"
	"dogbane/internal/publish/telling"
	"dogbane/internal/store"
)

// FeedCall asks for a feed with a key of its channel.
type FeedCall struct {
	File          string `path:"file" doc:"the channel's code, with .csv, .jsonl, .jsonld, .xml or .xlsx"`
	Authorization string `header:"Authorization" doc:"Bearer KEY"`
	Key           string `query:"key" doc:"instead of the header"`
	Known         string `header:"If-None-Match"`
	Since         string `header:"If-Modified-Since"`
	Accepts       string `header:"Accept-Encoding"`
	Limit         int    `query:"limit" minimum:"1" maximum:"10000" doc:"a page of so many lines; the header Link names the next (RFC 8288)"`
	After         string `query:"after" doc:"lines behind this SKU, by its bytes"`
}

// feedChunk is how many lines are read at once.
const feedChunk = 1000

func (s *Server) registerFeeds(api huma.API) {
	on(api, anybody, http.MethodGet, "/feeds/{file}", s.feed)
	answers(api, store.Reader, http.MethodGet, "/api/channels/{channel}/fetches", s.fetches)
}

// feed tells a channel what is published in it, whatever its link.
func (s *Server) feed(ctx context.Context, in *FeedCall) (*huma.StreamResponse, error) {
	channel, form := in.File, -1
	for i := range format.Forms {
		if name, is := strings.CutSuffix(in.File, format.Forms[i].Ending); is {
			channel, form = name, i
		}
	}
	call := ChannelCall{Authorization: in.Authorization, Key: in.Key}
	call.Channel = channel
	key, err := s.caller(ctx, &call, mayFeed)
	if err != nil {
		return nil, err
	}
	if form < 0 {
		return nil, huma.Error404NotFound("There are feeds as .csv, .jsonl, .jsonld, .xml and .xlsx.")
	}
	title := channel
	if c := s.Live.Current().Channel(channel); c != nil {
		title = c.Title()
	}
	mark, since, err := s.Desk.Mark(ctx, channel)
	if err != nil {
		return nil, err
	}
	pack := strings.Contains(in.Accepts, "gzip")
	if pack { // other bytes, another tag (RFC 9110, section 8.8.3)
		mark += " gzip"
	}
	tag := fmt.Sprintf("%q", in.File+" "+mark)
	unchanged := in.unchanged(tag, since)
	lines, page := &publishedLines{s, channel, in.After}, []publish.ShownLine(nil)
	if in.Limit > 0 && !unchanged {
		if page, err = lines.next(ctx, in.Limit+1); err != nil {
			return nil, err
		}
	}
	more := len(page) > in.Limit
	return &huma.StreamResponse{Body: func(to huma.Context) {
		to.SetHeader("ETag", tag)
		to.SetHeader("Cache-Control", "private, no-cache")
		to.SetHeader("Vary", "Accept-Encoding")
		if !since.IsZero() {
			to.SetHeader("Last-Modified", since.UTC().Format(http.TimeFormat))
		}
		if more {
			page = page[:in.Limit]
			to.SetHeader("Link", in.next(page[in.Limit-1].SKU))
		}
		if unchanged {
			s.noteFetch(ctx, channel, form, key.ID, false)
			to.SetStatus(http.StatusNotModified)
			return
		}
		to.SetHeader("Content-Type", format.Forms[form].Type)
		if ctx.Value(headOnly{}) != nil {
			to.SetStatus(http.StatusOK)
			return
		}
		var w io.Writer = to.BodyWriter()
		if pack {
			to.SetHeader("Content-Encoding", "gzip")
			packed := gzip.NewWriter(w)
			defer packed.Close()
			w = packed
		}
		about := format.About{Title: title, Link: "http://" + to.Host() + "/feeds/" + in.File}
		feed, err := format.Forms[form].Begin(w, about)
		if err == nil {
			defer feed.Close()
			if in.Limit > 0 {
				err = writeLines(feed, page)
			} else {
				err = lines.write(ctx, feed)
			}
		}
		if err == nil {
			err = feed.End()
		}
		if err != nil {
			slog.Error("a feed broke off", "channel", channel, "error", err)
			panic(http.ErrAbortHandler) // whoever reads it sees that it is not whole
		}
		s.noteFetch(ctx, channel, form, key.ID, !more)
	}}, nil
}

// next is the address of the page behind a SKU, as a header Link has it.
func (in *FeedCall) next(after string) string {
	query := url.Values{"limit": {strconv.Itoa(in.Limit)}, "after": {after}}
	if in.Key != "" {
		query.Set("key", in.Key)
	}
	next := url.URL{Path: "/feeds/" + in.File, RawQuery: query.Encode()}
	return "<" + next.String() + `>; rel="next"`
}

// noteFetch notes that a feed was fetched; an unchanged one once in a while, as keys are.
func (s *Server) noteFetch(ctx context.Context, channel string, form int, key int64, whole bool) {
	name := fmt.Sprint(key, format.Forms[form].Ending)
	if _, noted := s.callers.fetched.Get(name); noted && !whole {
		return
	}
	s.callers.fetched.Add(name, true)
	err := s.Store.NoteFetch(ctx, channel, format.Forms[form].Ending, key, s.Clocks.Book(), whole)
	if err != nil {
		slog.Warn("cannot note that a feed was fetched", "channel", channel, "error", err)
	}
}

// FetchList is when the feeds of a channel were fetched last, the newest first.
type FetchList struct {
	Fetches []FetchRow `json:"fetches"`
}

// FetchRow is when a feed was fetched last with a key.
type FetchRow struct {
	Form    string `json:"form" doc:"its ending, as .csv"`
	KeyID   int64  `json:"keyId"`
	KeyName string `json:"keyName"`
	At      string `json:"at"`
	WholeAt string `json:"wholeAt,omitempty" doc:"when it was sent whole last; since then it was unchanged"`
}

func (s *Server) fetches(ctx context.Context, in *ChannelPath) (FetchList, error) {
	out := FetchList{Fetches: []FetchRow{}}
	list, err := s.Store.Fetches(ctx, in.Channel)
	for _, f := range list {
		row := FetchRow{Form: f.Form, KeyID: f.KeyID, KeyName: f.KeyName, At: s.wall(f.At)}
		if f.WholeAt != nil {
			row.WholeAt = s.wall(*f.WholeAt)
		}
		out.Fetches = append(out.Fetches, row)
	}
	return out, err
}

// unchanged reports whether whoever asks has what there is. A tag counts before a time (RFC 9110, section 13.2.2).
func (in *FeedCall) unchanged(tag string, since time.Time) bool {
	if in.Known != "" { // a list, of which caches make some weak (section 13.1.2)
		return slices.ContainsFunc(strings.Split(in.Known, ","), func(known string) bool {
			known = strings.TrimSpace(known)
			return known == "*" || strings.TrimPrefix(known, "W/") == tag
		})
	}
	known, err := http.ParseTime(in.Since)
	return err == nil && !since.IsZero() && !since.Truncate(time.Second).After(known)
}

// publishedLines are the lines that a channel shows, by the bytes of their SKU, after one.
type publishedLines struct {
	s              *Server
	channel, after string
}

// next are the next lines, at most so many, as they are shown now; fewer are the last. What the channel takes while a
// feed is written is in what is left of it: as of the feed's beginning it would be in neither.
func (l *publishedLines) next(ctx context.Context, most int) ([]publish.ShownLine, error) {
	ahead, err := l.s.Desk.Ahead(ctx, l.channel)
	if err != nil {
		return nil, err
	}
	lines, err := l.s.Store.ShownLines(ctx, l.channel, l.s.Clocks.Book(), ahead, l.after, most)
	if len(lines) > 0 {
		l.after = lines[len(lines)-1].SKU
	}
	return lines, err
}

// write writes all of them; the next are read meanwhile.
func (l *publishedLines) write(ctx context.Context, feed format.Writer) error {
	chunks := make(chan []publish.ShownLine)
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() error {
		defer close(chunks)
		for {
			lines, err := l.next(ctx, feedChunk)
			if err != nil {
				return err
			}
			select {
			case chunks <- lines:
			case <-ctx.Done():
				return ctx.Err()
			}
			if len(lines) < feedChunk {
				return nil
			}
		}
	})
	work.Go(func() error {
		for lines := range chunks {
			if err := writeLines(feed, lines); err != nil {
				return err
			}
		}
		return nil
	})
	return work.Wait()
}

func writeLines(feed format.Writer, lines []publish.ShownLine) error {
	whole := make([]json.RawMessage, len(lines))
	for i := range lines {
		whole[i] = wholeLine(&lines[i])
	}
	return feed.Write(whole...)
}

// wholeLine is a line as the channel took it; of one that was taken before whole lines were kept what is known.
func wholeLine(l *publish.ShownLine) json.RawMessage {
	if l.Line != nil {
		return l.Line
	}
	digits, _ := money.Digits(l.Currency)
	line := telling.Line{SKU: l.SKU, Price: l.Price.Fixed(digits), Currency: l.Currency}
	if l.Reference != nil {
		line.Reference = l.Reference.Fixed(digits)
	}
	data, _ := json.Marshal(line) // it is made of texts
	return data
}
