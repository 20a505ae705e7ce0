package mllp

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"strings"
	"testing"
	"testing/iotest"
	"time"

	"github.com/stretchr/testify/require"
)

func TestRead(t *testing.T) {
	const vt, fs, cr = "\x0b", "\x1c", "\r"
	cases := []struct {
		name, bytes string
		want        []string
		end         error
	}{
		{"two messages", vt + "a" + cr + fs + cr + vt + "b" + fs + cr, []string{"a\r", "b"}, io.EOF},
		{"noise between", "\n\n" + vt + "a" + fs + cr + "\r\n" + vt + "b" + fs + cr, []string{"a", "b"}, io.EOF},
		{"a lone end byte inside", vt + "a" + fs + "b" + fs + fs + cr, []string{"a" + fs + "b" + fs}, io.EOF},
		{"cut off within", vt + "abc", nil, io.ErrUnexpectedEOF},
		{"cut off before the last byte", vt + "abc" + fs, nil, io.ErrUnexpectedEOF},
		{"no start block", "abc" + fs + cr, nil, io.EOF},
		{"an empty message", vt + fs + cr, []string{""}, io.EOF},
		{"just the limit", vt + strings.Repeat("x", 100) + fs + cr, []string{strings.Repeat("x", 100)}, io.EOF},
		{"over the limit", vt + strings.Repeat("x", 101) + fs + cr, nil, ErrTooLarge},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			r := bufio.NewReader(iotest.OneByteReader(strings.NewReader(c.bytes)))
			for _, want := range c.want {
				got, err := Read(r, 100)
				require.NoError(t, err)
				require.Equal(t, want, string(got))
			}
			_, err := Read(r, 100)
			require.ErrorIs(t, err, c.end)
		})
	}
}

func TestServeAnswersEachMessageAndClosesOnTheTooLarge(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ended := make(chan error, 1)
	go func() {
		s := Server{Limit: 10, TooLarge: func(_ string, beginning []byte) []byte { return append([]byte("too large: "), beginning...) }}
		s.Handle = func(_ string, m []byte) []byte {
			if string(m) == "fault" {
				panic("a fault in handling")
			}
			if string(m) == "mute" {
				return nil
			}
			return append([]byte("got "), m...)
		}
		ended <- s.Serve(l)
	}()
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	for sent, want := range map[string]string{"hello": "got hello", strings.Repeat("x", 11): "too large: xxxxxxxxxx"} {
		got, err := Exchange(ctx, l.Addr().String(), []byte(sent), 100)
		require.NoError(t, err)
		require.Equal(t, want, string(got))
	}
	_, err = Exchange(ctx, l.Addr().String(), []byte("mute"), 100)
	require.ErrorIs(t, err, io.EOF, "what could not be stored is not answered, so that it is sent again")
	_, err = Exchange(ctx, l.Addr().String(), []byte("fault"), 100)
	require.Error(t, err)
	got, err := Exchange(ctx, l.Addr().String(), []byte("after"), 100)
	require.NoError(t, err, "a fault in one message does not end the listener")
	require.Equal(t, "got after", string(got))
	l.Close()
	require.Error(t, <-ended)
}

// Hundreds who begin large messages and never end them take no more than what is set for
// all of them, and keep nobody out.
func TestUnfinishedMessagesKeepNobodyOut(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	s := Server{Limit: 4 << 20, Connections: 20, Memory: 8 << 20, Whole: 2 * time.Second,
		Handle: func(_ string, m []byte) []byte { return []byte(fmt.Sprint("got ", len(m))) }, TooLarge: func(string, []byte) []byte { return nil }}
	ended := make(chan error, 1)
	go func() { ended <- s.Serve(l) }()
	for range 200 {
		c, err := net.Dial("tcp", l.Addr().String())
		require.NoError(t, err)
		defer c.Close()
		go func() {
			_, _ = c.Write(append([]byte{start}, bytes.Repeat([]byte("x"), 3<<20)...))
		}()
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	answered := func(message []byte) bool {
		got, err := Exchange(ctx, l.Addr().String(), message, 100)
		return err == nil && string(got) == fmt.Sprint("got ", len(message))
	}
	// Whoever is turned away sends again, as senders do.
	require.Eventually(t, func() bool { return answered([]byte("hello")) }, 30*time.Second, 20*time.Millisecond)
	require.Eventually(t, func() bool { return answered(bytes.Repeat([]byte("y"), 3<<20)) }, 30*time.Second, 50*time.Millisecond)
	s.mu.Lock()
	require.LessOrEqual(t, s.used, s.Memory)
	require.LessOrEqual(t, len(s.open), s.Connections)
	s.mu.Unlock()
	l.Close()
	require.Error(t, <-ended)
	require.Eventually(t, func() bool {
		s.mu.Lock()
		defer s.mu.Unlock()
		return s.used == 0 && len(s.open) == 0
	}, 10*time.Second, 10*time.Millisecond, "nothing of it is kept")
}

// A message that takes too long is given up; a connection that is silent between messages
// stays.
func TestAMessageHasToEnd(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	s := Server{Limit: 100, Whole: 300 * time.Millisecond, Handle: func(_ string, m []byte) []byte { return m }}
	go func() { _ = s.Serve(l) }()
	slow, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	defer slow.Close()
	quiet, err := net.Dial("tcp", l.Addr().String())
	require.NoError(t, err)
	defer quiet.Close()
	_, err = slow.Write([]byte{start, 'a'})
	require.NoError(t, err)
	require.NoError(t, slow.SetReadDeadline(time.Now().Add(20*time.Second)))
	_, err = slow.Read(make([]byte, 1))
	require.ErrorIs(t, err, io.EOF, "given up")
	require.NoError(t, Write(quiet, []byte("still here")))
	got, err := Read(bufio.NewReader(quiet), 100)
	require.NoError(t, err)
	require.Equal(t, "still here", string(got))
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("\x0babc\x1c\r\x0bdef\x1c"))
	f.Fuzz(func(t *testing.T, raw []byte) {
		r := bufio.NewReader(bytes.NewReader(raw))
		total := 0
		for {
			m, err := Read(r, 64)
			if err != nil {
				return
			}
			if total += len(m) + 3; total > len(raw) || len(m) > 64 {
				t.Fatalf("more came out than went in")
			}
		}
	})
}
