package server

import (
	"slices"
	"strings"
	"sync/atomic"
	"time"
)

// lastAsked is when somebody last asked something; what pages ask by themselves does not count.
type lastAsked struct{ at atomic.Int64 }

var askedByItself = []string{"/api/state", "/api/flags", "/api/session"}

func (l *lastAsked) note(path string) {
	if strings.HasPrefix(path, "/api/") && !slices.Contains(askedByItself, path) {
		l.at.Store(time.Now().UnixNano())
	}
}

func (l *lastAsked) within(d time.Duration) bool { return time.Now().UnixNano()-l.at.Load() < int64(d) }
