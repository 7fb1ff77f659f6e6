package draft

import (
	"bufio"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"sync"
	"syscall"
)

// Session is a draft's process as its starter sees it.
type Session struct {
	cmd *exec.Cmd
	in  io.WriteCloser
	mu  sync.Mutex
	out *bufio.Reader
	end sync.Once

	local io.Closer // instead of a process
}

// most bytes of a packet's parts.
const (
	mostHead = 1 << 20
	mostData = 64 << 20
)

// Start runs the process.
func Start(cmd *exec.Cmd) (*Session, error) {
	in, err := cmd.StdinPipe()
	if err != nil {
		return nil, fmt.Errorf("draft: %w", err)
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, fmt.Errorf("draft: %w", err)
	}
	cmd.Stderr = os.Stderr
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := cmd.Start(); err != nil {
		return nil, fmt.Errorf("the draft's process can't be started: %w", err)
	}
	return &Session{cmd: cmd, in: in, out: newReader(out)}, nil
}

func newReader(r io.Reader) *bufio.Reader { return bufio.NewReaderSize(r, 1<<20) }

// Local runs a draft within this process, for tests and measurements.
func Local(c *Child) *Session {
	inR, inW := io.Pipe()
	outR, outW := io.Pipe()
	go func() {
		c.Serve(inR, outW)
		outW.Close()
	}()
	return &Session{in: inW, out: newReader(outR), local: outR}
}

// PID is the process's number.
func (s *Session) PID() int { return s.cmd.Process.Pid }

// Tell sends a command.
func (s *Session) Tell(c Command) error {
	b, err := json.Marshal(c)
	if err != nil {
		return err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	_, err = s.in.Write(append(b, '\n'))
	return err
}

// Packet reads the next packet: its head, and the bytes of head and data as
// they were sent. At the process's end the error says how it ended.
func (s *Session) Packet() (h Head, raw []byte, err error) {
	var n [8]byte
	if _, err = io.ReadFull(s.out, n[:]); err != nil {
		return h, nil, s.ended()
	}
	a, b := binary.LittleEndian.Uint32(n[:4]), binary.LittleEndian.Uint32(n[4:])
	if a > mostHead || b > mostData {
		return h, nil, fmt.Errorf("the draft's process sent a packet of %d and %d bytes", a, b)
	}
	raw = make([]byte, 8+int(a)+int(b))
	copy(raw, n[:])
	if _, err = io.ReadFull(s.out, raw[8:]); err != nil {
		return h, nil, s.ended()
	}
	return h, raw, json.Unmarshal(raw[8:8+a], &h)
}

func (s *Session) ended() error {
	if s.local != nil {
		return io.EOF
	}
	err := s.cmd.Wait()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		if w, ok := exit.Sys().(syscall.WaitStatus); ok && w.Signaled() {
			return fmt.Errorf("the draft's process was killed (%s)", w.Signal())
		}
		return fmt.Errorf("the draft's process failed (%s)", exit)
	}
	return io.EOF
}

// Close ends the process.
func (s *Session) Close() {
	s.end.Do(func() {
		s.in.Close()
		if s.local != nil {
			s.local.Close()
			return
		}
		s.cmd.Process.Kill()
	})
}
