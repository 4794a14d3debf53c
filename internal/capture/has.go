package capture

import (
	"context"
	"errors"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"
)

// A Server is a running site that is asked whether it has files.
type Server struct {
	Origin string // its scheme, host and port

	asked sync.Map // path -> func() bool
	mutex sync.Mutex
	err   error
}

// Has reports whether the server answers a request for a path with 200 OK (RFC 9110, 15.3.1). Each path is
// asked for once, and nothing more once the server could not be reached.
func (s *Server) Has(path string) bool {
	once, _ := s.asked.LoadOrStore(path, sync.OnceValue(func() bool {
		if s.Err() != nil {
			return false
		}
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		address := strings.TrimSuffix(s.Origin, "/") + (&url.URL{Path: path}).EscapedPath()
		status, err := statusOf(ctx, http.MethodHead, address)
		if status == http.StatusMethodNotAllowed || status == http.StatusNotImplemented {
			status, err = statusOf(ctx, http.MethodGet, address)
		}
		if err != nil {
			s.mutex.Lock()
			s.err = errors.New(reason(err))
			s.mutex.Unlock()
		}
		return status == http.StatusOK
	}))
	return once.(func() bool)()
}

// Err says why the server could not be asked; nil where it could.
func (s *Server) Err() error {
	s.mutex.Lock()
	defer s.mutex.Unlock()
	return s.err
}

// asIs follows no redirects.
var asIs = &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}

func statusOf(ctx context.Context, method, address string) (status int, err error) {
	r, err := http.NewRequestWithContext(ctx, method, address, nil)
	if err != nil {
		return 0, err
	}
	a, err := asIs.Do(r)
	if err != nil {
		return 0, err
	}
	a.Body.Close()
	return a.StatusCode, nil
}
