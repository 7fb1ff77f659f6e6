package studio

import (
	"encoding/json"
	"sync"
)

// Notice is what pages are told about a job.
type Notice struct {
	Job     int64    `json:"job"`
	Kind    string   `json:"kind"`
	Shot    int64    `json:"shot"`
	Take    int64    `json:"take"`
	State   string   `json:"state"`
	Done    int      `json:"done"`
	Total   int      `json:"total"`
	Left    float64  `json:"left"`
	Message string   `json:"message,omitempty"`
	Step    *Stepped `json:"step,omitempty"` // of a job that goes on: how far it has come

	Text []byte `json:"-"` // the notice as JSON, made once for all who listen
}

// Stepped is a frame of a job.
type Stepped struct {
	Frame int      `json:"frame"`
	Kept  bool     `json:"kept,omitempty"`  // it stands in the cache of what was asked for
	Waits bool     `json:"waits,omitempty"` // for room on a full disk
	Notes []string `json:"notes,omitempty"`
}

// hub passes notices to whoever listens; a listener that doesn't keep up
// misses some, and reads the state from the database.
type hub struct {
	mu     sync.Mutex
	subs   map[chan Notice]bool
	closed bool
}

// Listen gives a channel of notices and a function to end it.
func (s *Studio) Listen() (<-chan Notice, func()) {
	c := make(chan Notice, 64)
	h := &s.hub
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.closed {
		close(c)
		return c, func() {}
	}
	if h.subs == nil {
		h.subs = map[chan Notice]bool{}
	}
	h.subs[c] = true
	return c, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		if h.subs[c] {
			delete(h.subs, c)
			close(c)
		}
	}
}

func (s *Studio) tell(job int64, step *Stepped) {
	j, err := s.Store.Job(job)
	if err != nil {
		return
	}
	n := Notice{Job: j.ID, Kind: j.Kind, Shot: j.ShotID, Take: j.TakeID, State: j.State, Done: j.Done, Total: j.Total, Left: j.Left, Message: j.Message, Step: step}
	s.spread(n)
}

// Changed tells all pages that a shot's document has a new revision, made by
// one of them.
func (s *Studio) Changed(shot int64, page string) {
	s.spread(Notice{Kind: "document", Shot: shot, State: "changed", Message: page})
}

func (s *Studio) spread(n Notice) {
	text, err := json.Marshal(n)
	if err != nil {
		panic(err) // it holds nothing that JSON lacks
	}
	n.Text = text
	h := &s.hub
	h.mu.Lock()
	defer h.mu.Unlock()
	for c := range h.subs {
		select {
		case c <- n:
		default:
		}
	}
}

func (h *hub) close() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.closed = true
	for c := range h.subs {
		delete(h.subs, c)
		close(c)
	}
}
