package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"sync"

	"hiddenlanes/core/plan"
)

// contentCache remembers contents, which never change, up to a bound in bytes.
type contentCache struct {
	mu    sync.Mutex
	docs  map[string][]byte
	bytes int
}

const maxCached = 64 << 20

func (c *contentCache) get(hash string) []byte {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.docs[hash]
}

func (c *contentCache) put(hash string, doc []byte) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.docs == nil || c.bytes+len(doc) > maxCached {
		c.docs, c.bytes = map[string][]byte{}, 0
	}
	if c.docs[hash] == nil {
		c.docs[hash] = doc
		c.bytes += len(doc)
	}
}

// content gives a content by its hash.
func (u *Unit) content(ctx context.Context, hash string) ([]byte, error) {
	if doc := u.store.contents.get(hash); doc != nil {
		return doc, nil
	}
	var doc []byte
	err := u.on().GetContext(ctx, &doc, `SELECT doc FROM contents WHERE hash = ?`, hash)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, fmt.Errorf("it uses content %s, which is not kept", hash)
	}
	if err == nil {
		u.store.contents.put(hash, doc)
	}
	return doc, err
}

// keepContent keeps a content once.
func (u *Unit) keepContent(ctx context.Context, c plan.Content) error {
	_, err := u.on().ExecContext(ctx, `INSERT INTO contents (hash, kind, doc) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`,
		c.Hash, c.Kind, string(c.Doc))
	return err
}
