package e2e

import (
	"bufio"
	"net"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/demo"
	"deftledger/exchange/mllp"
)

// hostile is a laboratory that takes orders and answers with what is none: half a message, an
// answer to another, five megabytes, garbage, nothing.
func hostile(t *testing.T, addr string) {
	ln, err := net.Listen("tcp", addr)
	require.NoError(t, err)
	done := make(chan bool)
	t.Cleanup(func() { ln.Close(); close(done) })
	answers := []string{"\x0bMSH|^~\\&|LIS|B", "\x0bMSH|^~\\&|LIS|B|||20261123||ACK|A|P|2.5.1\rMSA|AA|SK1\r\x1c\r", "\x0b" + strings.Repeat("x", 5<<20), "HTTP/1.1 200 OK\r\n\r\n", "", "\x0b\x1c\r", "\x1c\r\x0b"}
	go func() {
		for n := 0; ; n++ {
			c, err := ln.Accept()
			if err != nil {
				return
			}
			go func() {
				defer c.Close()
				_, _ = mllp.Read(bufio.NewReader(c), 1<<20)
				_, _ = c.Write([]byte(answers[n%len(answers)]))
				select { // and it holds the line open
				case <-done:
				case <-time.After(3 * time.Second):
				}
			}()
		}
	}()
}

// A laboratory that floods, breaks off and answers wrongly stalls nobody: people work, another
// destination is served, a good result is filed, and the order that it never took says so.
func TestAHostileLaboratoryStallsNobody(t *testing.T) {
	others, flags := elsewhere(t)
	p := practice(t, flags...)
	hostile(t, p.lab)
	var wg sync.WaitGroup
	over := make(chan bool)
	stopped := func() bool {
		select {
		case <-over:
			return true
		default:
			return false
		}
	}
	for n := range 40 { // beginnings without an end, held open
		wg.Go(func() {
			for !stopped() {
				c, err := net.DialTimeout("tcp", p.mllp, 5*time.Second)
				if err != nil {
					return
				}
				_, _ = c.Write([]byte("\x0bMSH|^~\\&|LIS|BRINEHOUSE|DEFTLEDGER|" + strings.Repeat("x", n*100)))
				_ = c.SetReadDeadline(time.Now().Add(time.Second))
				_, _ = c.Read(make([]byte, 10))
				c.Close()
			}
		})
	}
	placer := text(t, p, "SELECT o.placer FROM lab_order o JOIN patient p ON p.id = o.patient_id WHERE p.family = 'Varga' LIMIT 1") + "-1"
	for _, m := range []string{oru(placer, "Varga", "Leocadia", "19430427", "F", 77), "no message at all", "MSH|^~\\&|", "MSH|^~\\&|LIS|BRINEHOUSE|DEFTLEDGER|SKERROW|||ORU^R01||P|2.5.1\rOBX|||||\r"} { // floods of the same
		wg.Go(func() {
			for !stopped() {
				c, err := net.DialTimeout("tcp", p.mllp, 5*time.Second)
				if err != nil {
					return
				}
				r := bufio.NewReader(c)
				_ = c.SetDeadline(time.Now().Add(5 * time.Second))
				for range 50 {
					if mllp.Write(c, []byte(m)) != nil {
						break
					}
					if _, err := mllp.Read(r, 1<<20); err != nil {
						break
					}
				}
				c.Close()
			}
		})
	}
	maren := signedIn(t, p, "maren")
	patient := patientOf(t, p, "SK-20418")
	order := func(laboratory, code, request string) {
		require.NoError(t, maren.call(http.MethodPost, "/api/patients/"+patient+"/orders", map[string]any{"priority": "R", "drawing": "now", "requestId": request, "secret": demo.Secret,
			"tests": []any{map[string]any{"laboratory": laboratory, "code": code, "diagnoses": []string{"M10.071"}}}}, nil))
	}
	order("brinehouse", "URIC", "hostile")
	order("northsound", "B04", "friendly")
	for range 30 {
		require.NoError(t, maren.call(http.MethodGet, "/api/patients/"+patient, nil, nil), "a chart is read in the middle of it")
		require.NoError(t, maren.call(http.MethodGet, "/api/desk?list=results", nil, nil))
	}
	state := func(request string) string {
		return text(t, p, "SELECT state FROM lab_order WHERE request_id = '"+request+"'")
	}
	require.Eventually(t, func() bool { return state("friendly") == "received by the laboratory" }, time.Minute, 50*time.Millisecond, "the fax goes out all the same")
	require.Eventually(t, func() bool {
		return p.count(t, "SELECT count(*) FROM outbox WHERE attempts > 2 AND state = 'waiting' AND kind = 'order'") == 1
	}, time.Minute, 50*time.Millisecond, "what was never taken is tried on")
	require.Equal(t, "signed, not sent", state("hostile"), "no answer of theirs decides anything")

	require.Eventually(t, func() bool { // a good one, in the middle of the flood
		good, err := net.Dial("tcp", p.mllp)
		if err != nil {
			return false
		}
		defer good.Close()
		_ = good.SetDeadline(time.Now().Add(10 * time.Second))
		if mllp.Write(good, []byte(oru(placer, "Varga", "Leocadia", "19430427", "F", 78))) != nil {
			return false
		}
		answer, err := mllp.Read(bufio.NewReader(good), 1<<20)
		return err == nil && strings.Contains(string(answer), "MSA|AA|")
	}, time.Minute, 50*time.Millisecond, "a good message is taken")
	close(over)
	wg.Wait()
	require.Eventually(t, func() bool { return p.count(t, "SELECT count(*) FROM inbox WHERE state = 'stored'") == 0 }, time.Minute, 50*time.Millisecond)
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM report WHERE filler = 'X000077'"), "what came a hundred times is one report")
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM report WHERE filler = 'X000078'"))
	require.NotEmpty(t, others.Faxes())
	require.NoError(t, p.stop())
	said, good2 := p.verify()
	require.True(t, good2, said)
}
