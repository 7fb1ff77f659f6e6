// Package queue hands jobs to worker processes: an embedded NATS server with
// JetStream, a work-queue stream of jobs in memory, and plain subjects for what a
// job holds, for progress and for stopping.
//
// Nothing here is kept: which jobs are due is known from the database of whoever
// starts the queue, so a stream that is lost is made anew and filled again, and a
// full disk can't stop it. An order in the stream names its job and nothing else;
// the worker that takes it asks the server for the rest (orders.JOB), piece by
// piece, so that a job may be as large as it likes. Asking is also how the server
// learns that the job is begun, and where it may refuse: a job that was stopped
// while it waited, or at which workers keep dying.
//
// A job that its worker doesn't acknowledge, because the worker died, is
// delivered again after AckWait; while a worker is alive it says so. The order
// of things at the end is: the work is done, the server has booked that and
// replied, the worker acknowledges. So whatever is lost on the way, the job is
// either booked or given out again; at worst it is told twice that it ended.
package queue

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/url"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
)

const (
	stream   = "JOBS"
	subject  = "jobs.all"
	consumer = "workers"
	// Tries is how often workers may die at a job, without having made anything of
	// it in between, before it counts as failed.
	Tries = 4
	// hearing is how long a worker waits for the reply to an end before it
	// tells it again; after patience without any reply it gives the job back.
	hearing  = 2 * time.Second
	patience = 5 * hearing
	// piece is how much of a job travels in one message, bytes.
	piece = 512 << 10
	// starts is how often the server is tried to be started.
	starts = 5
)

// AckWait is how long a silent worker keeps its job. It is set before a queue starts,
// by tests alone.
var AckWait = 6 * time.Second

// Heads of replies to a worker that asks for its order.
const (
	headSize = "Zarf-Size" // of the whole
	headGone = "Zarf-Gone" // there is nothing to be done
	headFail = "Zarf-Fail" // not now; why
)

// The kinds of events.
const (
	Begin = "start"
	Step  = "step"
	End   = "end"
	Back  = "back" // given back unfinished by a worker that is leaving
)

// Order is a job as a worker gets it.
type Order struct {
	Job  int64           `json:"job"`
	Kind string          `json:"kind"`
	Spec json.RawMessage `json:"-"` // fetched by the worker that takes it
}

// Event is what a worker tells.
type Event struct {
	Job     int64           `json:"job"`
	Kind    string          `json:"kind"` // Begin, Step, End, Back
	State   string          `json:"state,omitempty"`
	Message string          `json:"message,omitempty"`
	Step    json.RawMessage `json:"step,omitempty"`
}

// Gone says that a job isn't to be done any more: whoever took its order drops it.
var Gone = errors.New("the job is not due any more")

// Give is the text of a job. begins is set once for each time that a worker takes
// it. An error that is Gone ends the order; any other puts it off.
type Give func(job int64, begins bool) ([]byte, error)

// Server is the embedded queue.
type Server struct {
	ns    *server.Server
	nc    *nats.Conn
	js    jetstream.JetStream
	token string
	dir   string
}

// Start runs a queue on loopback, on a free port, that asks for the token. dir is
// where it may keep its own small files while it runs; where that can't be written,
// on a full disk for one, it takes the system's folder for such things.
func Start(dir, token string) (*Server, error) {
	// Nothing in the folder is needed again: what is due is known from the
	// database. What a server left that was killed could keep this one from
	// starting, so each start has a folder of its own.
	os.RemoveAll(dir)
	var err error
	for n := range starts {
		in := dir
		if n > 0 {
			in = os.TempDir()
		}
		var s *Server
		if s, err = serve(in, token); err == nil {
			return s, nil
		}
		time.Sleep(50 * time.Millisecond << n)
	}
	return nil, fmt.Errorf("queue: %w", err)
}

func serve(in, token string) (*Server, error) {
	if err := os.MkdirAll(in, 0o700); err != nil {
		return nil, err
	}
	dir, err := os.MkdirTemp(in, "zarf-queue-")
	if err != nil {
		return nil, err
	}
	ns, err := server.NewServer(&server.Options{
		Host: "127.0.0.1", Port: server.RANDOM_PORT, JetStream: true, StoreDir: dir,
		Authorization: token, NoSigs: true, NoLog: true,
	})
	if err != nil {
		os.RemoveAll(dir)
		return nil, err
	}
	s := &Server{ns: ns, token: token, dir: dir}
	ns.Start()
	if !ns.ReadyForConnections(10 * time.Second) {
		s.Close()
		return nil, errors.New("the embedded server did not start within 10 s")
	}
	if s.nc, err = nats.Connect("", nats.InProcessServer(ns), nats.Token(token)); err == nil {
		if s.js, err = jetstream.New(s.nc); err == nil {
			err = s.prepare()
		}
	}
	if err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// prepare makes the stream anew, empty.
func (s *Server) prepare() error {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	if err := s.js.DeleteStream(ctx, stream); err != nil && !errors.Is(err, jetstream.ErrStreamNotFound) {
		return err
	}
	_, err := s.js.CreateStream(ctx, jetstream.StreamConfig{Name: stream, Subjects: []string{"jobs.>"}, Retention: jetstream.WorkQueuePolicy, Storage: jetstream.MemoryStorage})
	if err != nil {
		return err
	}
	_, err = s.js.CreateConsumer(ctx, stream, jetstream.ConsumerConfig{Durable: consumer, AckPolicy: jetstream.AckExplicitPolicy, AckWait: AckWait, MaxDeliver: -1, MaxAckPending: 1000, MemoryStorage: true})
	return err
}

// URL is where workers connect, token included.
func (s *Server) URL() string {
	u, err := url.Parse(s.ns.ClientURL())
	if err != nil {
		return s.ns.ClientURL()
	}
	u.User = url.User(s.token)
	return u.String()
}

// Publish queues an order. A queue that has lost its stream makes it anew; what was
// in it must then be published again, which Held tells.
func (s *Server) Publish(o Order) error {
	b, err := json.Marshal(o)
	if err != nil {
		return err
	}
	if err = s.publish(b); err != nil {
		if s.prepare() == nil {
			err = s.publish(b)
		}
	}
	if err != nil {
		return fmt.Errorf("queue: %w", err)
	}
	return nil
}

func (s *Server) publish(b []byte) error {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	_, err := s.js.Publish(ctx, subject, b)
	return err
}

// Forget loses all orders, as a fault of the stream would: for tests.
func (s *Server) Forget() error {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	return s.js.DeleteStream(ctx, stream)
}

// Held is how many orders the queue holds, those included that are being worked on.
func (s *Server) Held() (int, error) {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	st, err := s.js.Stream(ctx, stream)
	if err != nil {
		return 0, fmt.Errorf("queue: %w", err)
	}
	return int(st.CachedInfo().State.Msgs), nil
}

// Listen calls fn for every event, one at a time, in order. An End that fn
// refuses is told again; fn must take it twice, as replies can be lost.
func (s *Server) Listen(fn func(Event) error) error {
	_, err := s.nc.Subscribe("events.*", func(m *nats.Msg) {
		var e Event
		err := json.Unmarshal(m.Data, &e)
		if err == nil {
			err = fn(e)
		}
		if m.Reply == "" {
			return
		}
		word := ""
		if err != nil {
			word = err.Error()
		}
		m.Respond([]byte(word))
	})
	return err
}

// Serve answers workers that ask for what an order holds, one at a time.
func (s *Server) Serve(give Give) error {
	_, err := s.nc.Subscribe("orders.*", func(m *nats.Msg) {
		job, err := strconv.ParseInt(strings.TrimPrefix(m.Subject, "orders."), 10, 64)
		at, err2 := strconv.Atoi(string(m.Data))
		if err != nil || err2 != nil || at < 0 {
			return
		}
		r := nats.NewMsg("")
		b, err := give(job, at == 0)
		switch {
		case errors.Is(err, Gone):
			r.Header.Set(headGone, "1")
		case err != nil:
			r.Header.Set(headFail, strings.Map(printable, err.Error()))
		default:
			r.Header.Set(headSize, strconv.Itoa(len(b)))
			at = min(at, len(b))
			r.Data = b[at:min(at+piece, len(b))]
		}
		m.RespondMsg(r)
	})
	return err
}

// printable keeps a header on one line.
func printable(r rune) rune {
	if r < ' ' {
		return ' '
	}
	return r
}

// Stop asks the worker of a job to stop.
func (s *Server) Stop(job int64) error { return s.nc.Publish("stop."+strconv.FormatInt(job, 10), nil) }

// Close stops the server.
func (s *Server) Close() {
	if s.nc != nil {
		s.nc.Close()
	}
	s.ns.Shutdown()
	s.ns.WaitForShutdown()
	os.RemoveAll(s.dir)
}

// Worker takes orders one at a time.
type Worker struct {
	nc *nats.Conn
	js jetstream.JetStream
}

// Connect joins a queue.
func Connect(address string) (*Worker, error) {
	nc, err := nats.Connect(address, nats.Name("zarf worker"), nats.MaxReconnects(20), nats.ReconnectWait(500*time.Millisecond))
	if err != nil {
		return nil, fmt.Errorf("worker: the queue can't be reached: %w", err)
	}
	js, err := jetstream.New(nc)
	if err != nil {
		nc.Close()
		return nil, fmt.Errorf("worker: %w", err)
	}
	return &Worker{nc, js}, nil
}

// Close leaves the queue.
func (w *Worker) Close() { w.nc.Close() }

// Tell sends an event.
func (w *Worker) Tell(e Event) {
	if b, err := json.Marshal(e); err == nil {
		w.nc.Publish("events."+strconv.FormatInt(e.Job, 10), b)
	}
}

// tellEnd sends the end of a job and waits until it is booked. A server that
// answers that it can't book it yet, as its disk is full, is asked for as long as
// that takes; one that doesn't answer, until patience runs out.
func (w *Worker) tellEnd(e Event) error {
	e.Kind = End
	b, err := json.Marshal(e)
	if err != nil {
		return err
	}
	for until := time.Now().Add(patience); time.Now().Before(until); {
		var m *nats.Msg
		if m, err = w.nc.Request("events."+strconv.FormatInt(e.Job, 10), b, hearing); err == nil {
			if len(m.Data) == 0 {
				return nil
			}
			until = time.Now().Add(patience)
			err = errors.New(string(m.Data))
		}
		if w.nc.IsClosed() {
			break
		}
		time.Sleep(hearing / 8) // "no responders" comes at once
	}
	return fmt.Errorf("worker: the end of job %d was not heard: %w", e.Job, err)
}

// fetch gets what an order holds.
func (w *Worker) fetch(job int64) ([]byte, error) {
	var all []byte
	for {
		m, err := w.nc.Request("orders."+strconv.FormatInt(job, 10), []byte(strconv.Itoa(len(all))), patience)
		if err != nil {
			return nil, err
		}
		if m.Header.Get(headGone) != "" {
			return nil, Gone
		}
		if why := m.Header.Get(headFail); why != "" {
			return nil, errors.New(why)
		}
		size, err := strconv.Atoi(m.Header.Get(headSize))
		if err != nil {
			return nil, fmt.Errorf("worker: the order of job %d has no size", job)
		}
		all = append(all, m.Data...)
		if len(all) == size {
			return all, nil
		}
		if len(m.Data) == 0 || len(all) > size {
			return nil, fmt.Errorf("worker: the order of job %d has %d bytes, %d came", job, size, len(all))
		}
	}
}

// Do is the work of one order; step sends progress.
type Do func(ctx context.Context, o Order, step func(any)) (state, message string)

// Run takes orders until ctx ends.
func (w *Worker) Run(ctx context.Context, do Do) error {
	c, err := w.js.Consumer(ctx, stream, consumer)
	if err != nil {
		return fmt.Errorf("worker: %w", err)
	}
	for ctx.Err() == nil {
		batch, err := c.Fetch(1, jetstream.FetchMaxWait(400*time.Millisecond))
		if err != nil {
			if w.nc.IsClosed() {
				return fmt.Errorf("worker: the queue is gone: %w", err)
			}
			time.Sleep(200 * time.Millisecond)
			continue
		}
		for m := range batch.Messages() {
			w.one(ctx, m, do)
		}
	}
	return nil
}

// again is when an order that can't be begun now is given out the next time.
const again = 2 * time.Second

func (w *Worker) one(ctx context.Context, m jetstream.Msg, do Do) {
	var o Order
	if json.Unmarshal(m.Data(), &o) != nil {
		m.Term()
		return
	}
	parent := ctx
	ctx, cancel := context.WithCancel(parent)
	defer cancel()
	// before the order is fetched: a stop that comes meanwhile is not lost
	sub, err := w.nc.Subscribe("stop."+strconv.FormatInt(o.Job, 10), func(*nats.Msg) { cancel() })
	if err == nil {
		defer sub.Unsubscribe()
	}
	switch o.Spec, err = w.fetch(o.Job); {
	case errors.Is(err, Gone):
		m.Term()
		return
	case err != nil:
		m.NakWithDelay(again)
		return
	}
	over := make(chan struct{})
	defer close(over)
	go func() {
		t := time.NewTicker(AckWait / 4)
		defer t.Stop()
		for {
			select {
			case <-over:
				return
			case <-t.C:
				m.InProgress()
			}
		}
	}()
	w.Tell(Event{Job: o.Job, Kind: Begin})
	state, message := do(ctx, o, func(v any) {
		if b, err := json.Marshal(v); err == nil {
			w.Tell(Event{Job: o.Job, Kind: Step, Step: b})
		}
	})
	if parent.Err() != nil && state != "done" { // the worker itself is stopping: somebody else goes on
		w.Tell(Event{Job: o.Job, Kind: Back})
		m.Nak()
		w.nc.Flush()
		return
	}
	if w.tellEnd(Event{Job: o.Job, State: state, Message: message}) != nil {
		m.Nak() // what was made is kept, so doing it again is quick
	} else {
		m.Ack()
	}
	w.nc.Flush()
}
