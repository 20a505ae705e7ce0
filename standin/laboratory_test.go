package standin

import (
	"bufio"
	"net"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// listener collects results; it answers AA from the refuse-th message on.
type listener struct {
	sync.Mutex
	ln     net.Listener
	got    []string
	refuse int
}

func listen(t *testing.T) *listener {
	t.Helper()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	l := &listener{ln: ln}
	t.Cleanup(func() { ln.Close() })
	go func() {
		for {
			c, err := ln.Accept()
			if err != nil {
				return
			}
			text, err := readFrame(bufio.NewReader(c))
			if err == nil {
				l.Lock()
				l.got = append(l.got, text)
				code := "AA"
				if len(l.got) <= l.refuse {
					code = "AE"
				}
				l.Unlock()
				_, _ = c.Write([]byte("\x0bMSH|^~\\&|X\rMSA|" + code + "|" + field(strings.Split(text, "\r")[0], 9) + "\r\x1c\r"))
			}
			c.Close()
		}
	}()
	return l
}

func (l *listener) messages() []string {
	l.Lock()
	defer l.Unlock()
	return append([]string(nil), l.got...)
}

const orderText = "MSH|^~\\&|DEFTLEDGER|SKERROW||BRINEHOUSE|20261123080000-0500||OML^O21^OML_O21|SK1|P|2.5.1\r" +
	"PID|1||SK-1^^^SKERROW^MR||Roe^Caspian||19970218|M\r" +
	"ORC|NW|SK1-1||SK1\rOBR|1|SK1-1||K^Potassium^L^2823-3^^LN|||20261123080000-0500\r" +
	"ORC|NW|SK1-2||SK1\rOBR|2|SK1-2||UCUL^Urine culture^L^630-4^^LN|||20261123080000-0500\r"

func start(t *testing.T, diary string, deliver string) *Laboratory {
	t.Helper()
	l := &Laboratory{Name: "Brinehouse Laboratory", Facility: "BRINEHOUSE", Delay: 20 * time.Millisecond, Deliver: deliver, Diary: diary,
		Refuse: map[string]string{"LI": "No assay"},
		Tests: map[string]Test{"K": {"K", "Potassium", "2823-3", []Analyte{{Code: "K", Name: "Potassium", LOINC: "2823-3", Unit: "mmol/L",
			Range: func(string, string) (string, string) { return "3.5", "5.1" }}}},
			"UCUL": {"UCUL", "Urine culture", "630-4", nil}, "LI": {"LI", "Lithium", "", nil}}}
	require.NoError(t, l.Open("127.0.0.1:0"))
	return l
}

func TestAnOrderIsAccessionedOnceAndAnsweredTwice(t *testing.T) {
	in := listen(t)
	in.refuse = 1 // the first delivery is not taken and comes again
	l := start(t, "", in.ln.Addr().String())
	defer l.Close()
	for range 3 {
		answer, err := Send(l.Addr(), orderText)
		require.NoError(t, err)
		require.Contains(t, answer, "MSA|AA|SK1")
		require.Contains(t, answer, "ORC|OK|SK1-2|BR")
	}
	require.Equal(t, []string{"SK1"}, l.Accessions())
	require.Len(t, l.Received(), 3)
	require.Eventually(t, func() bool { return len(in.messages()) == 3 }, 5*time.Second, 10*time.Millisecond)
	got := in.messages()
	require.Equal(t, got[0], got[1], "sent again as it was")
	preliminary, final := got[1], got[2]
	require.Equal(t, 1, strings.Count(preliminary, "OBR|"))
	require.Contains(t, preliminary, "Preliminary; the final report follows.")
	require.Equal(t, 2, strings.Count(final, "OBR|"))
	require.Contains(t, final, "PID|1||SK-1^^^SKERROW^MR||Roe^Caspian||19970218|M")
	for _, s := range strings.Split(final, "\r") {
		if strings.HasPrefix(s, "OBR|") {
			require.Equal(t, "F", field(s, 25))
		}
		if strings.HasPrefix(s, "OBX|") {
			require.Equal(t, "F", field(s, 11))
			require.Equal(t, "Brinehouse Laboratory", field(s, 23))
		}
	}
}

func TestRefusals(t *testing.T) {
	l := start(t, "", "127.0.0.1:1")
	defer l.Close()
	for change, says := range map[[2]string]string{
		{"K^Potassium", "LI^Lithium"}:  "MSA|AE|SK1\rERR||OBR^1^4|207^Application internal error^HL70357|E||||No assay",
		{"K^Potassium", "XX^Nonsense"}: "Test XX is not in our list",
		{"OML^O21", "ORM^O01"}:         "MSA|AR|SK1",
	} {
		answer, err := Send(l.Addr(), strings.Replace(orderText, change[0], change[1], 1))
		require.NoError(t, err)
		require.Contains(t, answer, says)
	}
	require.Empty(t, l.Accessions())
}

func TestTheDiarySurvivesARestart(t *testing.T) {
	diary := filepath.Join(t.TempDir(), "diary.jsonl")
	l := start(t, diary, "127.0.0.1:1") // nobody takes results yet
	_, err := Send(l.Addr(), orderText)
	require.NoError(t, err)
	l.Close()
	in := listen(t)
	again := start(t, diary, in.ln.Addr().String())
	defer again.Close()
	answer, err := Send(again.Addr(), orderText)
	require.NoError(t, err)
	require.Contains(t, answer, "MSA|AA|SK1")
	require.Equal(t, []string{"SK1"}, again.Accessions(), "the same order after the restart is the same accession")
	require.Eventually(t, func() bool { return len(in.messages()) == 2 }, 5*time.Second, 10*time.Millisecond,
		"both results are delivered after the restart, once each")
	time.Sleep(100 * time.Millisecond)
	require.Len(t, in.messages(), 2)
}

// Values look like the range they belong to, and are the same for the same order.
func TestValues(t *testing.T) {
	for _, r := range [][3]string{{"K", "3.5", "5.1"}, {"G", "60", ""}, {"L", "", "129"}, {"S", "1.005", "1.030"}} {
		x := Analyte{Code: r[0], Unit: "1", Range: func(string, string) (string, string) { return r[1], r[2] }}
		digits := func(s string) int { _, after, _ := strings.Cut(s, "."); return len(after) }
		for _, seed := range []string{"a", "b", "c", "d"} {
			v, rng, flag := x.value(seed, "F", "1970-01-01")
			again, _, _ := x.value(seed, "F", "1970-01-01")
			require.Equal(t, v, again)
			require.Equal(t, max(digits(r[1]), digits(r[2])), digits(v), "%s in %s", v, rng)
			require.Contains(t, []string{"", "H", "L"}, flag)
		}
	}
}
