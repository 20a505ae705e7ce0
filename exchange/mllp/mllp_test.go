package mllp

import (
	"bufio"
	"bytes"
	"context"
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
		ended <- Serve(l, 10, func(_ string, m []byte) []byte {
			if string(m) == "fault" {
				panic("a fault in handling")
			}
			if string(m) == "mute" {
				return nil
			}
			return append([]byte("got "), m...)
		}, func(string) []byte { return []byte("too large") })
	}()
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	for sent, want := range map[string]string{"hello": "got hello", strings.Repeat("x", 11): "too large"} {
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
