// Package transport carries lines to channels and brings their answers back: over HTTP, or through a folder. What the
// bytes say belongs to package format, what is sent and what becomes of it to package publish.
package transport

import (
	"context"
	"fmt"

	"dogbane/internal/publish/format"
)

// Transport delivers the lines of a publication and hands every answer on as it comes. An error of answered ends it.
type Transport interface {
	Deliver(ctx context.Context, publication int64, lines []format.Line,
		answered func(map[string]format.Answer) error) error
}

// Open is the transport of a kind, "http" or "folder".
func Open(kind, address, token string) (Transport, error) {
	switch kind {
	case "http":
		return &httpChannel{address, token}, nil
	case "folder":
		return &folderChannel{address}, nil
	}
	return nil, fmt.Errorf("there is no transport of the kind %q", kind)
}
