package store

import (
	"crypto/sha256"
	"database/sql"
	"sync"

	lru "github.com/hashicorp/golang-lru/v2"

	"zarf/core/shot"
)

// docsKept is how many decoded documents stay in memory: the shots that are
// open and the takes that their pages show. A large one takes about 200 KB.
const docsKept = 256

// docs decodes documents and keeps them by their content, so that an answer
// whose shot didn't change doesn't decode it again. What it gives is a copy,
// which the caller may change. It is safe for several goroutines.
type docs struct {
	list *lru.Cache[[sha256.Size]byte, *shot.Shot]
}

func newDocs() *docs {
	l, err := lru.New[[sha256.Size]byte, *shot.Shot](docsKept)
	if err != nil {
		panic(err) // only for a size under 1
	}
	return &docs{l}
}

// decode reads a document.
func (d *docs) decode(b []byte) (*shot.Shot, error) {
	key := sha256.Sum256(b)
	if s, ok := d.list.Get(key); ok {
		return s.Clone(), nil
	}
	s, _, err := shot.Decode(b)
	if err != nil {
		return nil, err
	}
	d.list.Add(key, s)
	return s.Clone(), nil
}

// database is a database whose queries are prepared once: parsing one takes
// SQLite longer than finding a row by its number. The queries of this package
// are constants, so there are a few dozen. It is safe for several goroutines.
type database struct {
	*sql.DB
	mu   sync.Mutex
	kept map[string]*sql.Stmt
}

func (p *database) prepared(query string) (*sql.Stmt, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if s, ok := p.kept[query]; ok {
		return s, nil
	}
	s, err := p.DB.Prepare(query)
	if err != nil {
		return nil, err
	}
	if p.kept == nil {
		p.kept = map[string]*sql.Stmt{}
	}
	p.kept[query] = s
	return s, nil
}

// Query is sql.DB's, prepared.
func (p *database) Query(query string, args ...any) (*sql.Rows, error) {
	s, err := p.prepared(query)
	if err != nil {
		return nil, err
	}
	return s.Query(args...)
}

// QueryRow is sql.DB's, prepared.
func (p *database) QueryRow(query string, args ...any) *sql.Row {
	s, err := p.prepared(query)
	if err != nil {
		return p.DB.QueryRow(query, args...) // which tells the error to Scan
	}
	return s.QueryRow(args...)
}

// Close closes the statements, then the database.
func (p *database) Close() error {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, s := range p.kept {
		s.Close()
	}
	p.kept = nil
	return p.DB.Close()
}
