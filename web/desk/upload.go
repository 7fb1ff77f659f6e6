package desk

import (
	"io"
	"mime/multipart"
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
