package publish_test

import (
	"context"
	"slices"
	"sync"
	"time"

	"dogbane/internal/publish"
)

// memory keeps publications in memory.
type memory struct {
	mu           sync.Mutex // guards the rest
	links        map[string]publish.Link
	publications map[int64]publish.Publication
	rows         map[int64][]publish.Row
	shown        map[string]map[string]publish.Shown
}

func newMemory() *memory {
	return &memory{links: map[string]publish.Link{}, publications: map[int64]publish.Publication{},
		rows:  map[int64][]publish.Row{},
		shown: map[string]map[string]publish.Shown{}}
}

func (m *memory) Links(context.Context) (map[string]publish.Link, error) { return m.links, nil }

func (m *memory) Shown(_ context.Context, channel string) (map[string]publish.Shown, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.shown[channel], nil
}

func (m *memory) StartPublication(_ context.Context, p *publish.Publication, rows []publish.Row) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, other := range m.publications {
		if other.Channel == p.Channel && other.Status == publish.Sending {
			return publish.ErrBusy
		}
	}
	p.ID = int64(1 + len(m.publications))
	m.publications[p.ID], m.rows[p.ID] = *p, slices.Clone(rows)
	return nil
}

func (m *memory) AnswerRows(_ context.Context, p *publish.Publication, rows []publish.Row, at time.Time) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, r := range rows {
		i := slices.IndexFunc(m.rows[p.ID], func(o publish.Row) bool { return o.SKU == r.SKU })
		m.rows[p.ID][i] = r
		if r.Answer != publish.Taken {
			continue
		}
		if m.shown[p.Channel] == nil {
			m.shown[p.Channel] = map[string]publish.Shown{}
		}
		delete(m.shown[p.Channel], r.SKU)
		if r.Price != nil {
			m.shown[p.Channel][r.SKU] = publish.Shown{SKU: r.SKU, Price: *r.Price, Reference: r.Reference, Currency: r.Currency,
				Tags: r.Tags, From: at}
		}
	}
	return nil
}

func (m *memory) EndPublication(_ context.Context, p *publish.Publication) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.publications[p.ID] = *p
	return nil
}
