package publish

import (
	"errors"
	"net/url"
	"slices"
	"strings"
	"time"

	"dogbane/internal/book"
	"dogbane/internal/publish/telling"
)

// The kinds of channels, by how they are reached.
const (
	HTTP   = "http"
	Folder = "folder"
	Feed   = "feed"
)

// Link is how a channel is reached, when it is told, and who has to agree.
type Link struct {
	Channel     string
	Kind        string // HTTP, Folder or Feed
	Address     string
	Token       string
	Sends       string // "by-hand" or "on-the-minute"
	Approval    string // "none", "always", or the percent over which a guest's price may not move without a second person
	GiveUpAfter time.Duration
	Compare     time.Duration // how often what the channel shows is read; 0: not by itself
	Reference   telling.ReferenceKind
	// Pages is where people see its goods: an address in which {sku} stands for the SKU; "": nobody has said.
	Pages string
}

// OnTheMinute reports whether the channel is told by itself when a moment comes at which lines differ.
func (l *Link) OnTheMinute() bool { return l.Sends == "on-the-minute" }

// Page is where people see the prices of a channel that is reached over HTTP, or "".
func (l *Link) Page() string {
	u, err := url.Parse(l.Address)
	if l.Kind != HTTP || err != nil {
		return ""
	}
	return u.Scheme + "://" + u.Host + "/"
}

// skuInPages is what stands for the SKU in the address of pages.
const skuInPages = "{sku}"

// PageOf is where people see a product, or "".
func (l *Link) PageOf(sku string) string {
	return strings.ReplaceAll(l.Pages, skuInPages, url.PathEscape(sku))
}

// checkPages reports what is wrong with an address of pages; "" is none, and right.
func checkPages(pages string) error {
	if pages == "" {
		return nil
	}
	u, err := url.Parse(strings.ReplaceAll(pages, skuInPages, "SKU"))
	switch {
	case err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https":
		return errors.New("must begin with http:// or https:// and name a host")
	case !strings.Contains(pages, skuInPages):
		return errors.New("must say where the SKU stands, as {sku}")
	case strings.Contains(strings.SplitN(pages, "://", 2)[1][:len(u.Host)], skuInPages):
		return errors.New("must have {sku} behind the host")
	case len(pages) > 500:
		return errors.New("must be at most 500 bytes long")
	}
	return nil
}

// Check reports what is wrong with when a channel is told, against what its reductions are shown, and where its goods
// are seen. Its error is a *book.InvalidError.
func (l *Link) Check() error {
	if l.Sends != "by-hand" && l.Sends != "on-the-minute" {
		return book.Invalid("sends", "must be by-hand or on-the-minute")
	}
	if !slices.Contains(telling.ReferenceKinds, l.Reference) {
		return book.Invalid("reference", "must be lowest30, catalog, list or rrp")
	}
	if err := checkPages(l.Pages); err != nil {
		return book.Invalid("pages", "The address of its pages "+err.Error()+".")
	}
	return nil
}
