package desk

import (
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
)

// MaxUpload is the largest geometry file that is taken, bytes, all files of a
// request together.
const MaxUpload = 1 << 30

func Content(f *multipart.FileHeader) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return io.ReadAll(r)
}

// Received waits until a form with files has come whole; they lie on the disk then.
// Only after it is one of the few places for reading them taken: an upload that
// stalls holds up nobody but itself.
func (s *Server) Received(c *gin.Context) (form *multipart.Form, done func(), err error) {
	if form, err = c.MultipartForm(); err != nil {
		var big *http.MaxBytesError
		if errors.As(err, &big) {
			return nil, nil, fmt.Errorf("the files have over %d MB together; up to that is taken", big.Limit>>20)
		}
		return nil, nil, fmt.Errorf("the upload broke off: %v", err)
	}
	select {
	case s.Heavy <- struct{}{}: // large files one after the other: their memory adds up
	case <-c.Request.Context().Done():
		form.RemoveAll()
		return nil, nil, c.Request.Context().Err()
	}
	return form, func() { <-s.Heavy; form.RemoveAll() }, nil
}

// stalled is how long a request may send nothing.
const stalled = 30 * time.Second

// paced is a request's body that breaks off when nothing comes for a while. However
// long it takes in all, it may go on as long as it goes on.
type paced struct {
	io.ReadCloser
	rc *http.ResponseController
}

// Read puts the deadline off, and takes it away at the end: it would otherwise end
// the connection while the answer is made.
func (p *paced) Read(b []byte) (int, error) {
	p.rc.SetReadDeadline(time.Now().Add(stalled))
	n, err := p.ReadCloser.Read(b)
	if err != nil {
		p.rc.SetReadDeadline(time.Time{})
	}
	return n, err
}

// Close takes the deadline away.
func (p *paced) Close() error {
	p.rc.SetReadDeadline(time.Time{})
	return p.ReadCloser.Close()
}
