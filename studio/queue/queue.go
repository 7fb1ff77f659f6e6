// Package queue hands jobs to worker processes: an embedded NATS server with
// JetStream, a work-queue stream of jobs, and plain subjects for progress and
// for stopping.
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
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
)

const (
	stream   = "JOBS"
	subject  = "jobs.all"
	consumer = "workers"
	// AckWait is how long a silent worker keeps its job.
	AckWait = 6 * time.Second
	// Tries is how often a job is given out before it counts as failed.
	Tries = 4
	// hearing is how long a worker waits for the reply to an end before it
	// tells it again; after patience it gives the job back.
	hearing  = 2 * time.Second
	patience = 5 * hearing
)

// The kinds of events.
const (
	Begin = "start"
	Step  = "step"
	End   = "end"
)

// Order is what is put into the queue.
type Order struct {
	Job  int64           `json:"job"`
	Kind string          `json:"kind"`
	Spec json.RawMessage `json:"spec"`
}

// Event is what a worker tells.
type Event struct {
	Job     int64           `json:"job"`
	Kind    string          `json:"kind"` // Begin, Step, End
	State   string          `json:"state,omitempty"`
	Message string          `json:"message,omitempty"`
	Step    json.RawMessage `json:"step,omitempty"`
}

// Server is the embedded queue.
type Server struct {
	ns    *server.Server
	nc    *nats.Conn
	js    jetstream.JetStream
	token string
}

// Start runs a queue on loopback, on a free port, that asks for the token.
func Start(dir, token string) (*Server, error) {
	// Nothing in the folder is needed again: what is due is known from the
	// database. What a server left that was killed could keep this one from
	// starting.
	if err := os.RemoveAll(dir); err != nil {
		return nil, fmt.Errorf("queue: %w", err)
	}
	ns, err := server.NewServer(&server.Options{
		Host: "127.0.0.1", Port: server.RANDOM_PORT, JetStream: true, StoreDir: dir,
		Authorization: token, NoSigs: true, NoLog: true, MaxPayload: 8 << 20,
	})
	if err != nil {
		return nil, fmt.Errorf("queue: %w", err)
	}
	ns.Start()
	if !ns.ReadyForConnections(10 * time.Second) {
		ns.Shutdown()
		return nil, errors.New("queue: the embedded server did not start within 10 s")
	}
	s := &Server{ns: ns, token: token}
	if s.nc, err = nats.Connect("", nats.InProcessServer(ns), nats.Token(token)); err == nil {
		if s.js, err = jetstream.New(s.nc); err == nil {
			err = s.prepare()
		}
	}
	if err != nil {
		s.Close()
		return nil, fmt.Errorf("queue: %w", err)
	}
	return s, nil
}

// prepare makes the stream anew: what is due is known from the database.
func (s *Server) prepare() error {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	if err := s.js.DeleteStream(ctx, stream); err != nil && !errors.Is(err, jetstream.ErrStreamNotFound) {
		return err
	}
	_, err := s.js.CreateStream(ctx, jetstream.StreamConfig{Name: stream, Subjects: []string{"jobs.>"}, Retention: jetstream.WorkQueuePolicy, Storage: jetstream.FileStorage})
	if err != nil {
		return err
	}
	_, err = s.js.CreateConsumer(ctx, stream, jetstream.ConsumerConfig{Durable: consumer, AckPolicy: jetstream.AckExplicitPolicy, AckWait: AckWait, MaxDeliver: -1, MaxAckPending: 1000})
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

// Publish queues an order.
func (s *Server) Publish(o Order) error {
	b, err := json.Marshal(o)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	if _, err := s.js.Publish(ctx, subject, b); err != nil {
		return fmt.Errorf("queue: %w", err)
	}
	return nil
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

// Stop asks the worker of a job to stop.
func (s *Server) Stop(job int64) error { return s.nc.Publish("stop."+strconv.FormatInt(job, 10), nil) }

// Close stops the server.
func (s *Server) Close() {
	if s.nc != nil {
		s.nc.Close()
	}
	s.ns.Shutdown()
	s.ns.WaitForShutdown()
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

// tellEnd sends the end of a job and waits until it is booked.
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
			err = errors.New(string(m.Data))
		}
		if w.nc.IsClosed() {
			break
		}
		time.Sleep(hearing / 8) // "no responders" comes at once
	}
	return fmt.Errorf("worker: the end of job %d was not heard: %w", e.Job, err)
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

func (w *Worker) one(ctx context.Context, m jetstream.Msg, do Do) {
	var o Order
	if json.Unmarshal(m.Data(), &o) != nil {
		m.Term()
		return
	}
	if meta, err := m.Metadata(); err == nil && meta.NumDelivered > Tries {
		if w.tellEnd(Event{Job: o.Job, State: "failed", Message: fmt.Sprintf("the worker died %d times at this job; what was made is kept", Tries)}) != nil {
			m.Nak()
			return
		}
		m.Term()
		return
	}
	parent := ctx
	ctx, cancel := context.WithCancel(parent)
	defer cancel()
	sub, err := w.nc.Subscribe("stop."+strconv.FormatInt(o.Job, 10), func(*nats.Msg) { cancel() })
	if err == nil {
		defer sub.Unsubscribe()
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
