package publish

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"dogbane/internal/money"
	"dogbane/internal/store"
)

func connect(l store.Link) (connection, error) {
	switch l.Kind {
	case "http":
		return &httpChannel{l.Address, l.Token}, nil
	case "folder":
		return &folderChannel{l.Address}, nil
	}
	return nil, fmt.Errorf("channel %q has a link of the unknown kind %q", l.Channel, l.Kind)
}

// httpChannel takes prices as JSON over HTTP, in batches, and answers each row.
type httpChannel struct{ address, token string }

// PriceMessage is the body of a PUT to an HTTP channel: prices with at least the currency's decimals.
type PriceMessage struct {
	Publication int64         `json:"publication"`
	Prices      []PricedGoods `json:"prices"`
}

// PricedGoods is one product's price; with Remove the product is no longer sold there.
type PricedGoods struct {
	SKU       string `json:"sku"`
	Name      string `json:"name,omitempty"`
	Price     string `json:"price,omitempty"`
	Reference string `json:"reference,omitempty"`
	Currency  string `json:"currency"`
	Remove    bool   `json:"remove,omitempty"`
}

// PriceReply is an HTTP channel's answer.
type PriceReply struct {
	Answers []struct {
		SKU     string `json:"sku"`
		Taken   bool   `json:"taken"`
		Message string `json:"message,omitempty"`
	} `json:"answers"`
}

const (
	httpBatch = 1000
	httpTries = 3
)

func (c *httpChannel) deliver(ctx context.Context, publication int64, names map[string]string, rows []store.PublicationRow, answered func([]store.PublicationRow) error) error {
	for from := 0; from < len(rows); from += httpBatch {
		batch := rows[from:min(from+httpBatch, len(rows))]
		message := PriceMessage{Publication: publication}
		for _, r := range batch {
			message.Prices = append(message.Prices, goods(r, names[r.SKU]))
		}
		reply, err := c.send(ctx, message)
		if err != nil {
			return err
		}
		answers := map[string]Answer{}
		for _, a := range reply.Answers {
			answers[a.SKU] = Answer{a.Taken, a.Message}
		}
		if err := answered(withAnswers(batch, answers)); err != nil {
			return err
		}
	}
	return nil
}

func goods(r store.PublicationRow, name string) PricedGoods {
	g := PricedGoods{SKU: r.SKU, Name: name, Currency: r.Currency, Remove: r.Kind == Gone}
	digits, _ := money.Digits(r.Currency)
	if r.Price != nil {
		g.Price = r.Price.Fixed(digits)
	}
	if r.Reference != nil {
		g.Reference = r.Reference.Fixed(digits)
	}
	return g
}

// withAnswers are the rows that were answered.
func withAnswers(rows []store.PublicationRow, answers map[string]Answer) []store.PublicationRow {
	var list []store.PublicationRow
	for _, r := range rows {
		a, known := answers[r.SKU]
		if !known {
			continue
		}
		r.Answer, r.Message = "refused", a.Message
		if a.Taken {
			r.Answer = "taken"
		}
		list = append(list, r)
	}
	return list
}

// send tries a few times: setting a price twice does no harm.
func (c *httpChannel) send(ctx context.Context, m PriceMessage) (*PriceReply, error) {
	body, err := json.Marshal(m)
	if err != nil {
		return nil, fmt.Errorf("write the price message: %w", err)
	}
	for try := 1; ; try++ {
		reply, again, err := c.once(ctx, body)
		if err == nil || !again || try == httpTries {
			return reply, err
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-time.After(time.Duration(try) * 300 * time.Millisecond):
		}
	}
}

func (c *httpChannel) once(ctx context.Context, body []byte) (reply *PriceReply, again bool, err error) {
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPut, c.address, bytes.NewReader(body))
	if err != nil {
		return nil, false, fmt.Errorf("reach the channel: %w", err)
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Authorization", "Bearer "+c.token)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, true, fmt.Errorf("reach the channel: %w", err)
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		text, _ := io.ReadAll(io.LimitReader(resp.Body, 300))
		return nil, resp.StatusCode >= 500, fmt.Errorf("the channel answered %s: %s", resp.Status, bytes.TrimSpace(text))
	}
	if err := json.NewDecoder(resp.Body).Decode(&reply); err != nil {
		return nil, false, fmt.Errorf("read the channel's answer: %w", err)
	}
	return reply, false, nil
}

// folderChannel takes prices as a CSV file laid into a folder, and lays its answer into another.
type folderChannel struct{ folder string }

// Folders and columns of a folder channel.
const (
	InFolder     = "in"
	AnswerFolder = "answers"
)

// Columns of the files, in order.
var (
	PriceColumns  = []string{"sku", "name", "price", "reference", "currency", "action"}
	AnswerColumns = []string{"sku", "answer", "message"}
)

const answerPatience = 30 * time.Second

func (c *folderChannel) deliver(ctx context.Context, publication int64, names map[string]string, rows []store.PublicationRow, answered func([]store.PublicationRow) error) error {
	name := fmt.Sprintf("prices-%06d.csv", publication)
	var buf bytes.Buffer
	w := csv.NewWriter(&buf)
	_ = w.Write(PriceColumns)
	for _, r := range rows {
		g, action := goods(r, names[r.SKU]), "set"
		if g.Remove {
			action = "remove"
		}
		_ = w.Write([]string{g.SKU, g.Name, g.Price, g.Reference, g.Currency, action})
	}
	w.Flush()
	if err := layDown(filepath.Join(c.folder, InFolder), name, buf.Bytes()); err != nil {
		return err
	}
	answers, err := c.await(ctx, filepath.Join(c.folder, AnswerFolder, name))
	if err != nil {
		return err
	}
	return answered(withAnswers(rows, answers))
}

// layDown writes a file so that whoever watches the folder sees it whole or not at all.
func layDown(folder, name string, content []byte) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return fmt.Errorf("reach the channel's folder: %w", err)
	}
	temp := filepath.Join(folder, "."+name+".part")
	if err := os.WriteFile(temp, content, 0o644); err != nil {
		return fmt.Errorf("write into the channel's folder: %w", err)
	}
	if err := os.Rename(temp, filepath.Join(folder, name)); err != nil {
		return fmt.Errorf("write into the channel's folder: %w", err)
	}
	return nil
}

func (c *folderChannel) await(ctx context.Context, file string) (map[string]Answer, error) {
	deadline := time.After(answerPatience)
	for {
		f, err := os.Open(file)
		if err == nil {
			defer f.Close()
			return readAnswers(f)
		}
		if !errors.Is(err, os.ErrNotExist) {
			return nil, fmt.Errorf("read the channel's answer: %w", err)
		}
		select {
		case <-ctx.Done():
			return nil, ctx.Err()
		case <-deadline:
			return nil, fmt.Errorf("the channel laid no answer file down within %s seconds", strconv.Itoa(int(answerPatience.Seconds())))
		case <-time.After(100 * time.Millisecond):
		}
	}
}

func readAnswers(f io.Reader) (map[string]Answer, error) {
	records, err := csv.NewReader(f).ReadAll()
	if err != nil {
		return nil, fmt.Errorf("read the channel's answer: %w", err)
	}
	answers := map[string]Answer{}
	for i, r := range records {
		if len(r) != len(AnswerColumns) {
			return nil, fmt.Errorf("read the channel's answer: line %d has %d columns, not %d", i+1, len(r), len(AnswerColumns))
		}
		if i > 0 {
			answers[r[0]] = Answer{r[1] == "taken", r[2]}
		}
	}
	return answers, nil
}
