package server

import (
	"compress/gzip"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/sync/errgroup"

	"dogbane/internal/money"
	"dogbane/internal/publish"
	"dogbane/internal/publish/format"
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
}

// feedPage is how many lines are read at once.
const feedPage = 2000

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
	tag := fmt.Sprintf("%q", in.File+" "+mark)
	return &huma.StreamResponse{Body: func(to huma.Context) {
		to.SetHeader("ETag", tag)
		to.SetHeader("Cache-Control", "private, no-cache")
		if !since.IsZero() {
			to.SetHeader("Last-Modified", since.UTC().Format(http.TimeFormat))
		}
		if in.unchanged(tag, since) {
			s.noteFetch(ctx, channel, form, key.ID, false)
			to.SetStatus(http.StatusNotModified)
			return
		}
		to.SetHeader("Content-Type", format.Forms[form].Type)
		to.SetHeader("Vary", "Accept-Encoding")
		var w io.Writer = to.BodyWriter()
		if strings.Contains(in.Accepts, "gzip") {
			to.SetHeader("Content-Encoding", "gzip")
			packed := gzip.NewWriter(w)
			defer packed.Close()
			w = packed
		}
		about := format.About{Title: title, Link: "http://" + to.Host() + "/feeds/" + in.File}
		if err := s.writeFeed(ctx, w, channel, form, about); err != nil {
			slog.Error("a feed broke off", "channel", channel, "error", err)
			panic(http.ErrAbortHandler) // whoever reads it sees that it is not whole
		}
		s.noteFetch(ctx, channel, form, key.ID, true)
	}}, nil
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
	if in.Known != "" {
		return in.Known == tag
	}
	known, err := http.ParseTime(in.Since)
	return err == nil && !since.IsZero() && !since.Truncate(time.Second).After(known)
}

// writeFeed writes what a channel shows, a page after the other; the next one is read meanwhile.
func (s *Server) writeFeed(ctx context.Context, w io.Writer, channel string, form int, about format.About) error {
	feed, err := format.Forms[form].Begin(w, about)
	if err != nil {
		return err
	}
	at := s.Clocks.Book()
	ahead, err := s.Desk.Ahead(ctx, channel)
	if err != nil {
		return err
	}
	pages := make(chan []publish.ShownLine)
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() error {
		defer close(pages)
		for after := ""; ; {
			lines, err := s.Store.ShownLines(ctx, channel, at, ahead, after, feedPage)
			if err != nil {
				return err
			}
			select {
			case pages <- lines:
			case <-ctx.Done():
				return ctx.Err()
			}
			if len(lines) < feedPage {
				return nil
			}
			after = lines[len(lines)-1].SKU
		}
	})
	work.Go(func() error {
		for lines := range pages {
			for i := range lines {
				if err := feed.Write(wholeLine(&lines[i])); err != nil {
					return err
				}
			}
		}
		return nil
	})
	if err := work.Wait(); err != nil {
		return err
	}
	return feed.End()
}

// wholeLine is a line as the channel took it; of one that was taken before whole lines were kept what is known.
func wholeLine(l *publish.ShownLine) json.RawMessage {
	if l.Line != nil {
		return l.Line
	}
	digits, _ := money.Digits(l.Currency)
	line := publish.Line{SKU: l.SKU, Price: l.Price.Fixed(digits), Currency: l.Currency}
	if l.Reference != nil {
		line.Reference = l.Reference.Fixed(digits)
	}
	data, _ := json.Marshal(line) // it is made of texts
	return data
}
