package transport

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"time"

	"github.com/cenkalti/backoff/v5"

	"dogbane/internal/publish/format"
)

// httpChannel takes prices as JSON over HTTP, in parts, and answers each line.
type httpChannel struct{ address, token string }

const (
	linesPerPart = 1000
	tries        = 3
	firstPause   = 300 * time.Millisecond
	patience     = 20 * time.Second // for one answer
)

func (c *httpChannel) Deliver(ctx context.Context, publication int64, lines []format.Line,
	answered func(map[string]format.Answer) error) error {
	for part := range slices.Chunk(lines, linesPerPart) {
		body, err := format.JSON(publication, part)
		if err != nil {
			return err
		}
		answers, err := c.send(ctx, body)
		if err != nil {
			return err
		}
		if err := answered(answers); err != nil {
			return err
		}
	}
	return nil
}

// send tries a few times, with growing pauses: setting a price twice does no harm.
func (c *httpChannel) send(ctx context.Context, body []byte) (map[string]format.Answer, error) {
	pauses := backoff.NewExponentialBackOff()
	pauses.InitialInterval, pauses.Multiplier = firstPause, 2
	answers, err := backoff.Retry(ctx, func() (map[string]format.Answer, error) { return c.once(ctx, body) },
		backoff.WithBackOff(pauses), backoff.WithMaxTries(tries))
	var last *backoff.PermanentError
	if errors.As(err, &last) {
		err = last.Unwrap()
	}
	return answers, err
}

func (c *httpChannel) once(ctx context.Context, body []byte) (map[string]format.Answer, error) {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPut, c.address, bytes.NewReader(body))
	if err != nil {
		return nil, backoff.Permanent(fmt.Errorf("address the channel: %w", err))
	}
	req.Header.Set("Content-Type", "application/json")
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, fmt.Errorf("reach the channel: %w", err)
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		text, _ := io.ReadAll(io.LimitReader(resp.Body, 300))
		err := fmt.Errorf("the channel answered %s: %s", resp.Status, bytes.TrimSpace(text))
		if resp.StatusCode < 500 {
			return nil, backoff.Permanent(err)
		}
		return nil, err
	}
	answers, err := format.ReadJSON(resp.Body)
	if err != nil {
		return nil, backoff.Permanent(err)
	}
	return answers, nil
}
