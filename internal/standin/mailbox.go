package standin

import (
	"bytes"
	"context"
	"fmt"
	"html/template"
	"io"
	"log/slog"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/http"
	"net/mail"
	"regexp"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// Mailbox takes every mail by SMTP and shows it on a page; it forwards none.
type Mailbox struct {
	mu    sync.Mutex
	mails []letter // newest first
	pages *template.Template
}

// letter is a mail that came.
type letter struct {
	To, Subject, Text string
	At                time.Time
}

const mostLetters = 200

// words is some of a letter's text, or an address in it.
type words struct{ Text, Address string }

var addressInText = regexp.MustCompile(`https?://[^\s()<>"]*[^\s()<>".,;:!?]`)

// Parts are the text of a letter with its addresses apart.
func (l letter) Parts() (parts []words) {
	at := 0
	for _, found := range addressInText.FindAllStringIndex(l.Text, -1) {
		parts = append(parts, words{Text: l.Text[at:found[0]]}, words{Address: l.Text[found[0]:found[1]]})
		at = found[1]
	}
	return append(parts, words{Text: l.Text[at:]})
}

// OpenMailbox makes an empty mailbox.
func OpenMailbox() (*Mailbox, error) {
	parsed, err := pagesOf("shop.html", "mailbox.html")
	if err != nil {
		return nil, fmt.Errorf("read the mailbox's pages: %w", err)
	}
	return &Mailbox{pages: parsed}, nil
}

// Serve takes mails until ctx ends.
func (m *Mailbox) Serve(ctx context.Context, l net.Listener) {
	server := smtp.NewServer(m)
	server.Domain, server.ReadTimeout, server.WriteTimeout = "localhost", 10*time.Second, 10*time.Second
	server.MaxMessageBytes = 1 << 20
	stop := context.AfterFunc(ctx, func() { _ = server.Close() })
	defer stop()
	if err := server.Serve(l); err != nil && ctx.Err() == nil {
		slog.Error("the stand-in mailbox ended", "error", err)
	}
}

// NewSession begins to take a mail.
func (m *Mailbox) NewSession(*smtp.Conn) (smtp.Session, error) { return &session{box: m}, nil }

// session is one mail on its way in.
type session struct {
	box *Mailbox
	to  []string
}

func (s *session) Mail(string, *smtp.MailOptions) error { return nil }
func (s *session) Reset()                               { s.to = nil }
func (s *session) Logout() error                        { return nil }

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.to = append(s.to, to)
	return nil
}

func (s *session) Data(r io.Reader) error {
	msg, err := mail.ReadMessage(r)
	if err != nil {
		return err
	}
	subject, err := new(mime.WordDecoder).DecodeHeader(msg.Header.Get("Subject"))
	if err != nil {
		return err
	}
	text, err := plainPart(msg.Header.Get("Content-Type"), msg.Header.Get("Content-Transfer-Encoding"), msg.Body)
	if err != nil {
		return err
	}
	s.box.mu.Lock()
	defer s.box.mu.Unlock()
	one := letter{To: strings.Join(s.to, ", "), Subject: subject, Text: text, At: time.Now()}
	s.box.mails = append([]letter{one}, s.box.mails...)
	s.box.mails = s.box.mails[:min(len(s.box.mails), mostLetters)]
	return nil
}

// plainPart is the text of a mail.
func plainPart(kind, encoding string, body io.Reader) (string, error) {
	media, params, err := mime.ParseMediaType(kind)
	if err == nil && strings.HasPrefix(media, "multipart/") {
		parts := multipart.NewReader(body, params["boundary"])
		part, err := parts.NextPart() // the plain one comes first; its encoding is undone on the way
		if err != nil {
			return "", err
		}
		body, encoding = part, part.Header.Get("Content-Transfer-Encoding")
	}
	if strings.EqualFold(encoding, "quoted-printable") {
		body = quotedprintable.NewReader(body)
	}
	text, err := io.ReadAll(io.LimitReader(body, 1<<20))
	return string(bytes.TrimSpace(bytes.ReplaceAll(text, []byte("\r\n"), []byte("\n")))), err
}

// Page shows the mails that came.
func (m *Mailbox) Page(w http.ResponseWriter, _ *http.Request) {
	m.mu.Lock()
	mails := append([]letter{}, m.mails...)
	m.mu.Unlock()
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	if err := m.pages.ExecuteTemplate(w, "mailbox", map[string]any{"Shop": "Mailbox", "Mails": mails}); err != nil {
		slog.Error("the mailbox cannot show its page", "error", err)
	}
}
