// Package mllp frames messages for the minimal lower layer protocol (HL7 v2
// transport, release 1): 0x0B, the message, 0x1C 0x0D.
package mllp

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"sync"
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
	for {
		b, err := r.ReadByte()
		if err != nil {
			return nil, err
		}
		if b == start {
			break
		}
	}
	var out []byte
	for {
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
			out = append(out, b)
			if err := r.UnreadByte(); err != nil {
				return nil, err
			}
			continue
		}
		if len(out) >= limit {
			return nil, fmt.Errorf("%w of %d bytes", ErrTooLarge, limit)
		}
		out = append(out, b)
	}
}

// Serve accepts connections until the listener closes and answers every message
// with what handle returns; an empty answer closes the connection unanswered, so
// that the peer sends again. tooLarge answers a message over the limit.
func Serve(l net.Listener, limit int, handle func(peer string, message []byte) []byte, tooLarge func(peer string) []byte) error {
	var open sync.Map
	defer open.Range(func(c, _ any) bool { c.(net.Conn).Close(); return true })
	for {
		c, err := l.Accept()
		if err != nil {
			return err
		}
		open.Store(c, true)
		go func() {
			defer open.Delete(c)
			defer c.Close()
			// A fault in handling one message ends its connection unanswered, not the program.
			defer func() {
				if p := recover(); p != nil {
					slog.Error("a message could not be handled", "panic", p)
				}
			}()
			peer := c.RemoteAddr().String()
			r := bufio.NewReaderSize(c, 64<<10)
			for {
				message, err := Read(r, limit)
				if errors.Is(err, ErrTooLarge) {
					_ = Write(c, tooLarge(peer))
					return
				}
				if err != nil {
					return // between messages or within one: nothing was acknowledged
				}
				answer := handle(peer, message)
				if len(answer) == 0 || Write(c, answer) != nil {
					return
				}
			}
		}()
	}
}

// Exchange sends one message over a connection of its own and returns the answer.
func Exchange(ctx context.Context, addr string, message []byte, limit int) ([]byte, error) {
	var d net.Dialer
	c, err := d.DialContext(ctx, "tcp", addr)
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
