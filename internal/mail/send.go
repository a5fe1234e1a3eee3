package mail

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"strconv"
	"sync/atomic"
	"time"

	smtp "github.com/wneessen/go-mail"
)

// Outbox keeps mails until a server has taken them.
type Outbox interface {
	// NextMail hands the mail that is due next to send and keeps what came of it; no other instance sends it meanwhile.
	// found is false where none is due.
	NextMail(ctx context.Context, now time.Time, send func(Message) error) (found bool, err error)
}

// Sender hands mails to a mail server.
type Sender struct {
	address atomic.Pointer[string] // host:port; nil: there is none
	from    string
}

// NewSender sends from an address of the store.
func NewSender(from string) *Sender { return &Sender{from: from} }

// Via says which server takes mails, as host:port.
func (s *Sender) Via(address string) { s.address.Store(&address) }

// Ready reports whether there is a server that takes mails.
func (s *Sender) Ready() bool { return s.address.Load() != nil }

// Check reports what is wrong with an address that somebody is to be written to; nil: nothing.
func Check(address string) error {
	if err := smtp.NewMsg().To(address); err != nil {
		return errors.New("is no mail address")
	}
	return nil
}

// Send hands one mail over.
func (s *Sender) Send(ctx context.Context, m Message) error {
	via := s.address.Load()
	if via == nil {
		return errors.New("no mail server is set")
	}
	host, text, err := net.SplitHostPort(*via)
	if err != nil {
		return fmt.Errorf("read the mail server's address: %w", err)
	}
	port, err := strconv.Atoi(text)
	if err != nil {
		return fmt.Errorf("read the mail server's port: %w", err)
	}
	msg := smtp.NewMsg()
	if err := msg.From(s.from); err != nil {
		return fmt.Errorf("write the sender: %w", err)
	}
	if err := msg.To(m.To); err != nil {
		return fmt.Errorf("write the address: %w", err)
	}
	msg.Subject(m.Subject)
	msg.SetBodyString(smtp.TypeTextPlain, m.Text)
	msg.AddAlternativeString(smtp.TypeTextHTML, m.HTML)
	client, err := smtp.NewClient(host, smtp.WithPort(port), smtp.WithTLSPolicy(smtp.TLSOpportunistic),
		smtp.WithTimeout(10*time.Second))
	if err != nil {
		return fmt.Errorf("set the mail server up: %w", err)
	}
	if err := client.DialAndSendWithContext(ctx, msg); err != nil {
		return fmt.Errorf("hand the mail over: %w", err)
	}
	return nil
}

// Run sends what is due, until ctx ends.
func (s *Sender) Run(ctx context.Context, from Outbox, every time.Duration) {
	for {
		found := false
		if s.Ready() {
			var err error
			found, err = from.NextMail(ctx, time.Now().UTC(), func(m Message) error {
				problem := s.Send(ctx, m)
				if problem != nil {
					slog.Warn("cannot send a mail; it is tried again later", "to", m.To, "subject", m.Subject, "error", problem)
				}
				return problem
			})
			if err != nil && ctx.Err() == nil {
				slog.Warn("cannot send mails", "error", err)
				found = false
			}
		}
		if found {
			continue
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(every):
		}
	}
}
