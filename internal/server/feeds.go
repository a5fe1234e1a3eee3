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

	"github.com/danielgtaylor/huma/v2"

	"dogbane/internal/money"
	"dogbane/internal/publish"
	"dogbane/internal/publish/format"
)

// FeedCall asks for a feed with a key of its channel.
type FeedCall struct {
	File          string `path:"file" doc:"the channel's code, with .csv or .jsonl"`
	Authorization string `header:"Authorization" doc:"Bearer KEY"`
	Key           string `query:"key" doc:"instead of the header"`
	Known         string `header:"If-None-Match"`
	Accepts       string `header:"Accept-Encoding"`
}

// feedPage is how many lines are read at once.
const feedPage = 2000

func (s *Server) registerFeeds(api huma.API) {
	on(api, anybody, http.MethodGet, "/feeds/{file}", s.feed)
}

// feed tells a channel what is published in it, whatever its link.
func (s *Server) feed(ctx context.Context, in *FeedCall) (*huma.StreamResponse, error) {
	channel, csv := strings.CutSuffix(in.File, ".csv")
	channel, lines := strings.CutSuffix(channel, ".jsonl")
	call := ChannelCall{Authorization: in.Authorization, Key: in.Key}
	call.Channel = channel
	if _, err := s.caller(ctx, &call, mayFeed); err != nil {
		return nil, err
	}
	if csv == lines {
		return nil, huma.Error404NotFound("There is a feed as .csv and one as .jsonl.")
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
		if in.Known == tag {
			to.SetStatus(http.StatusNotModified)
			return
		}
		kind := "application/x-ndjson"
		if csv {
			kind = "text/csv; charset=utf-8; header=present"
		}
		to.SetHeader("Content-Type", kind)
		to.SetHeader("Vary", "Accept-Encoding")
		var w io.Writer = to.BodyWriter()
		if strings.Contains(in.Accepts, "gzip") {
			to.SetHeader("Content-Encoding", "gzip")
			packed := gzip.NewWriter(w)
			defer packed.Close()
			w = packed
		}
		if err := s.writeFeed(ctx, w, channel, csv); err != nil {
			slog.Error("a feed broke off", "channel", channel, "error", err)
			panic(http.ErrAbortHandler) // whoever reads it sees that it is not whole
		}
	}}, nil
}

// writeFeed writes what a channel shows, a page after the other.
func (s *Server) writeFeed(ctx context.Context, w io.Writer, channel string, csv bool) error {
	var feed *format.Feed
	if csv {
		var err error
		if feed, err = format.NewFeed(w); err != nil {
			return err
		}
	}
	at := s.Clocks.Book()
	for after := ""; ; {
		lines, err := s.Store.ShownLines(ctx, channel, at, after, feedPage)
		if err != nil {
			return err
		}
		for i := range lines {
			line := wholeLine(&lines[i])
			if feed != nil {
				err = feed.Write(line)
			} else {
				_, err = w.Write(append(line, '\n'))
			}
			if err != nil {
				return err
			}
		}
		if len(lines) < feedPage {
			break
		}
		after = lines[len(lines)-1].SKU
	}
	if feed != nil {
		return feed.End()
	}
	return nil
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
