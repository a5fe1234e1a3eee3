package publish

import (
	"net/url"
	"time"
)

// Link is how a channel is reached, when it is told, and who has to agree.
type Link struct {
	Channel     string
	Kind        string // "http", "folder" or "feed"
	Address     string
	Token       string
	Sends       string // "by-hand" or "on-the-minute"
	Approval    string // "none", "always", or the percent over which a guest's price may not move without a second person
	GiveUpAfter time.Duration
	Compare     time.Duration // how often what the channel shows is read; 0: not by itself
	Reference   ReferenceKind
}

// OnTheMinute reports whether the channel is told by itself when a moment comes at which lines differ.
func (l *Link) OnTheMinute() bool { return l.Sends == "on-the-minute" }

// Page is where people see the prices of a channel that is reached over HTTP, or "".
func (l *Link) Page() string {
	u, err := url.Parse(l.Address)
	if l.Kind != "http" || err != nil {
		return ""
	}
	return u.Scheme + "://" + u.Host + "/"
}
