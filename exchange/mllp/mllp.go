// Package mllp frames messages for the minimal lower layer protocol (HL7 v2
// transport, release 1): 0x0B, the message, 0x1C 0x0D.
package mllp

import (
	"bufio"
	"cmp"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"sync"
	"time"
)

const (
	start = 0x0B
	end   = 0x1C
	cr    = 0x0D
)

// ErrTooLarge is returned by Read for a message over the limit. The connection
// cannot be used after it.
var ErrTooLarge = errors.New("the message is larger than the limit")

// Write sends one framed message in a single write.
func Write(w io.Writer, message []byte) error {
	frame := make([]byte, 0, len(message)+3)
	frame = append(frame, start)
	frame = append(frame, message...)
	frame = append(frame, end, cr)
	_, err := w.Write(frame)
	return err
}

// Read returns the next message of at most limit bytes. Bytes before the start
// block are skipped. io.EOF means the peer closed between messages;
// io.ErrUnexpectedEOF means within one, which then was never received.
func Read(r *bufio.Reader, limit int) ([]byte, error) {
	return read(r, limit, func() {}, func(int) error { return nil })
}

// piece is by how much a message that is being read grows at first; then it doubles.
const piece = 64 << 10

// read says when a message begins, and asks before it takes room for more of it. Of a
// message over the limit it returns the beginning.
func read(r *bufio.Reader, limit int, begins func(), room func(n int) error) ([]byte, error) {
	for {
		b, err := r.ReadByte()
		if err != nil {
			return nil, err
		}
		if b == start {
			break
		}
	}
	begins()
	var out []byte
	for {
		if len(out) == cap(out) {
			more := min(max(piece, cap(out)), max(1, limit+1-cap(out)))
			if err := room(more); err != nil {
				return out, err
			}
			out = append(make([]byte, 0, cap(out)+more), out...)
		}
		b, err := r.ReadByte()
		if err != nil {
			if errors.Is(err, io.EOF) {
				err = io.ErrUnexpectedEOF
			}
			return nil, err
		}
		if b == end {
			// A lone 0x1C inside the text is not an end block.
			next, err := r.ReadByte()
			if err != nil {
				return nil, io.ErrUnexpectedEOF
			}
			if next == cr {
				return out, nil
			}
			if err := r.UnreadByte(); err != nil {
				return nil, err
			}
		}
		if len(out) >= limit {
			return out, fmt.Errorf("%w of %d bytes", ErrTooLarge, limit)
		}
		out = append(out, b)
	}
}

// Server receives messages and answers each with what Handle returns; an empty answer
// closes the connection unanswered, so that the peer sends again. TooLarge answers a
// message over the limit, of which it gets the beginning.
type Server struct {
	Limit    int // of one message, in bytes
	Handle   func(peer string, message []byte) []byte
	TooLarge func(peer string, beginning []byte) []byte

	// What strangers can take of the machine; zero is the default.
	Connections int           // at a time: 64; the one that was silent longest gives way to a new one
	Memory      int           // for messages not yet whole: four times the limit
	Whole       time.Duration // from the first byte of a message to its last: a minute

	mu   sync.Mutex
	open map[*connection]bool
	used int // of Memory
}

// connection is somebody who sends.
type connection struct {
	net.Conn
	heard time.Time // when the last message ended, or the connection began
	used  int       // memory of the message that is being read
}

// ErrNoRoom ends a connection whose message found no memory: it was never received.
var ErrNoRoom = errors.New("too many unfinished messages")

// Serve accepts connections until the listener closes.
func (s *Server) Serve(l net.Listener) error {
	s.Connections, s.Memory, s.Whole = cmp.Or(s.Connections, 64), cmp.Or(s.Memory, 4*s.Limit), cmp.Or(s.Whole, time.Minute)
	s.open = map[*connection]bool{}
	defer func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		for c := range s.open {
			c.Close()
		}
	}()
	for {
		accepted, err := l.Accept()
		if err != nil {
			return err
		}
		c := s.admit(accepted)
		go func() {
			defer s.leave(c)
			// A fault in handling one message ends its connection unanswered, not the program.
			defer func() {
				if p := recover(); p != nil {
					slog.Error("a message could not be handled", "panic", p)
				}
			}()
			s.talk(c)
		}()
	}
}

// admit takes a connection in. When there are too many, the one that was silent longest
// goes: what it sends is sent again, and whoever sends whole messages is not kept out.
func (s *Server) admit(accepted net.Conn) *connection {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.open) >= s.Connections {
		var oldest *connection
		for c := range s.open {
			if oldest == nil || c.heard.Before(oldest.heard) {
				oldest = c
			}
		}
		slog.Warn("too many connections that send messages", "limit", s.Connections)
		oldest.Close()
		delete(s.open, oldest)
	}
	c := &connection{Conn: accepted, heard: time.Now()}
	s.open[c] = true
	return c
}

func (s *Server) leave(c *connection) {
	c.Close()
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.open, c)
	s.used -= c.used
	c.used = 0
}

// talk reads and answers messages until the peer ends, or takes too long over one.
func (s *Server) talk(c *connection) {
	peer := c.RemoteAddr().String()
	r := bufio.NewReader(c)
	for {
		message, err := read(r, s.Limit, func() { _ = c.SetReadDeadline(time.Now().Add(s.Whole)) }, func(n int) error { return s.room(c, n) })
		_ = c.SetReadDeadline(time.Time{}) // between messages nobody hurries
		_ = c.SetWriteDeadline(time.Now().Add(s.Whole))
		if errors.Is(err, ErrTooLarge) {
			_ = Write(c, s.TooLarge(peer, message))
			return
		}
		if err != nil {
			return // between messages or within one: nothing was acknowledged
		}
		answer := s.Handle(peer, message)
		if len(answer) == 0 || Write(c, answer) != nil {
			return
		}
		s.mu.Lock()
		s.used -= c.used
		c.used, c.heard = 0, time.Now()
		s.mu.Unlock()
	}
}

// room gives memory to a message that is being read, as long as there is some.
func (s *Server) room(c *connection, n int) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.used+n > s.Memory {
		slog.Warn("too many unfinished messages", "memory", s.Memory)
		return ErrNoRoom
	}
	s.used += n
	c.used += n
	return nil
}

// Exchange sends one message over a connection of its own and returns the answer.
func Exchange(ctx context.Context, addr string, message []byte, limit int) ([]byte, error) {
	return ExchangeTLS(ctx, addr, nil, message, limit)
}

// ExchangeTLS is Exchange over TLS; nil for none.
func ExchangeTLS(ctx context.Context, addr string, secure *tls.Config, message []byte, limit int) ([]byte, error) {
	var d net.Dialer
	dial := d.DialContext
	if secure != nil {
		dial = (&tls.Dialer{NetDialer: &d, Config: secure}).DialContext
	}
	c, err := dial(ctx, "tcp", addr)
	if err != nil {
		return nil, err
	}
	defer c.Close()
	if t, ok := ctx.Deadline(); ok {
		_ = c.SetDeadline(t)
	}
	if err := Write(c, message); err != nil {
		return nil, err
	}
	return Read(bufio.NewReader(c), limit)
}
