package mail_test

import (
	"context"
	"errors"
	"net"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"dogbane/internal/mail"
	"dogbane/internal/standin"
)

// What the fields hold is told as it is and is never markup, another field or a further header.
func TestMessagesAreFilledIn(t *testing.T) {
	t.Parallel()
	m := mail.Write("For {name}\r\nBcc: all@example.com", "Hello {name},\n\nyour {goods} & {nobody} until {until}.", mail.Fields{
		Name: "<b>{goods}</b> & \"co\" 🎁", Goods: "عجلة", Until: "26 December 2026"})
	require.Equal(t, "For <b>{goods}</b> & \"co\" 🎁  Bcc: all@example.com", m.Subject)
	require.Equal(t, "Hello <b>{goods}</b> & \"co\" 🎁,\n\nyour عجلة & {nobody} until 26 December 2026.", m.Text)
	require.Contains(t, m.HTML, "<p>Hello &lt;b&gt;{goods}&lt;/b&gt; &amp; &#34;co&#34; 🎁,</p><p>your عجلة &amp; {nobody}")
	m = mail.Write("{rewarded}", "Now {rewarded}.", mail.Fields{More: 3, Rewarded: []mail.Goods{{Name: "Post <b>&"},
		{Name: "A shelf", Page: `http://shop.example/g/A%2F"1&2`}}})
	require.Equal(t, "Post <b>&, A shelf and 3 others", m.Subject)
	require.Equal(t, `Now Post <b>&, A shelf (http://shop.example/g/A%2F"1&2) and 3 others.`, m.Text)
	require.Contains(t, m.HTML,
		`Post &lt;b&gt;&amp;, <a href="http://shop.example/g/A%2F&#34;1&amp;2">A shelf</a> and 3 others.`)
	require.Equal(t, []string{"{nobody}"}, mail.Unknown("{name} {nobody} {nobody} {}"))
}

// outbox is one mail that is due until it was sent.
type outbox struct {
	mails []mail.Message
	tried chan error
}

func (o *outbox) NextMail(_ context.Context, _ time.Time, send func(mail.Message) error) (bool, error) {
	if len(o.mails) == 0 {
		return false, nil
	}
	err := send(o.mails[0])
	if err == nil {
		o.mails = o.mails[1:]
	}
	o.tried <- err
	return err == nil, nil
}

// A mail waits until a server takes it, and arrives there whole.
func TestMailsArrive(t *testing.T) {
	box, err := standin.OpenMailbox()
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, stop := context.WithCancel(t.Context())
	m := mail.Write("Für {name}", "Hello {name}, =3D &\n.\nQUIT", mail.Fields{Name: "Ömer <&>"})
	m.To = "omer@pottery.example"
	o := &outbox{mails: []mail.Message{m}, tried: make(chan error, 100)}
	s := mail.NewSender("shop@marram.example")
	require.False(t, s.Ready())
	s.Via("127.0.0.1:1") // where nobody listens
	ended := make(chan struct{})
	go func() { defer close(ended); s.Run(ctx, o, time.Millisecond) }()
	require.Error(t, <-o.tried)
	go box.Serve(ctx, l)
	s.Via(l.Addr().String())
	for err := errors.New("not yet"); err != nil; err = <-o.tried {
	}
	page := httptest.NewRecorder()
	box.Page(page, nil)
	require.Contains(t, page.Body.String(), "Für Ömer &lt;&amp;&gt;")
	require.Contains(t, page.Body.String(), "Hello Ömer &lt;&amp;&gt;, =3D &amp;\n.\nQUIT")
	stop()
	<-ended
	require.Error(t, mail.Check("not an address\r\nBcc: x@y.z"))
	require.NoError(t, mail.Check("omer@pottery.example"))
}
