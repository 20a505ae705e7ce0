package standin

import (
	"net"
	"net/http"
	"time"
)

// server is where a stand-in is reached.
type server struct {
	addr string
	http *http.Server
}

// open listens on an address; while down says so, nobody answers.
func (s *server) open(addr string, down func() bool, h http.Handler) error {
	ln, err := net.Listen("tcp", addr)
	if err != nil {
		return err
	}
	s.addr = ln.Addr().String()
	s.http = &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if down() {
			http.Error(w, "out of order", http.StatusServiceUnavailable)
			return
		}
		h.ServeHTTP(w, r)
	}), ReadHeaderTimeout: 5 * time.Second}
	go func() { _ = s.http.Serve(ln) }()
	return nil
}

// Base is the address to reach it at.
func (s *server) Base() string { return "http://" + s.addr }

// Close ends it.
func (s *server) Close() { _ = s.http.Close() }
