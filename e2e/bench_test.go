package e2e

import (
	"bufio"
	"fmt"
	"net"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/core/coding"
	"deftledger/data"
	"deftledger/exchange/mllp"
)

var queries = []string{"htn", "gout attack", "type 2 diabetes", "copd", "uti", "back pain", "sprained ankle right", "high cholesterol", "ckd stage 3a", "m10.071", "pain", "a", "fract", "chronic kidney disease stage", "malignant neoplasm of breast left", "inj", "unsp", "diabetes with", "pregnancy", "burn second degree hand"}

func spread(b *testing.B, what string, times []time.Duration) {
	slices.Sort(times)
	b.Logf("%-46s median %8s   99th percentile %8s   (%d)", what, times[len(times)/2].Round(10*time.Microsecond), times[len(times)*99/100].Round(10*time.Microsecond), len(times))
}

// BenchmarkFigures prints the figures the project promises, measured on the whole
// program as users run it.
func BenchmarkFigures(b *testing.B) {
	packed, err := data.Catalogue()
	require.NoError(b, err)
	start := time.Now()
	c, err := coding.Load(packed)
	require.NoError(b, err)
	index := coding.NewIndex(c, data.Everyday)
	b.Logf("%-46s %s", "loading and indexing the catalogue", time.Since(start).Round(time.Millisecond))
	var times []time.Duration
	for range 100 {
		for _, q := range queries {
			start := time.Now()
			index.Search(q, 12)
			times = append(times, time.Since(start))
		}
	}
	spread(b, "code search, in process", times)

	p := practice(b)
	maren := signedIn(b, p, "maren")
	require.NoError(b, maren.call(http.MethodGet, "/api/codes?q=gout", nil, nil))
	times = nil
	for range 50 {
		for _, q := range queries {
			start := time.Now()
			require.NoError(b, maren.call(http.MethodGet, "/api/codes?q="+url.QueryEscape(q), nil, nil))
			times = append(times, time.Since(start))
		}
	}
	spread(b, "code search, over HTTP", times)

	note := maren.note(b, p, "Tollefsen")
	times = nil
	prose := strings.Repeat("Right big toe pain for two days, began overnight. ", 40)
	for base := range 1000 {
		start := time.Now()
		s, err := maren.save(note, fmt.Sprint(prose, base), base)
		times = append(times, time.Since(start))
		require.NoError(b, err)
		require.False(b, s.Stale)
	}
	spread(b, "saving a part of a note (2,000 characters), HTTP", times)

	placer := text(b, p, "SELECT o.placer FROM lab_order o JOIN patient p ON p.id = o.patient_id WHERE p.family = 'Varga' LIMIT 1") + "-1"
	conn, err := net.Dial("tcp", p.mllp)
	require.NoError(b, err)
	defer conn.Close()
	r := bufio.NewReader(conn)
	const results = 3000
	start = time.Now()
	for n := 1; n <= results; n++ {
		require.NoError(b, mllp.Write(conn, []byte(oru(placer, "Varga", "Leocadia", "19430427", "F", n))))
		answer, err := mllp.Read(r, 1<<20)
		require.NoError(b, err)
		require.Contains(b, string(answer), "MSA|AA|")
	}
	stored := time.Since(start)
	for p.count(b, "SELECT count(*) FROM inbox WHERE state = 'stored'") > 0 {
		time.Sleep(5 * time.Millisecond)
	}
	filed := time.Since(start)
	require.Equal(b, results, p.count(b, "SELECT count(*) FROM report WHERE filler LIKE 'X%'"))
	b.Logf("%-46s %.0f a second acknowledged, %.0f a second filed (one connection, %d results)", "results through MLLP, durable", results/stored.Seconds(), results/filed.Seconds(), results)

	require.NoError(b, p.stop())
	var starts []time.Duration
	for range 7 {
		start := time.Now()
		require.NoError(b, p.start())
		starts = append(starts, time.Since(start))
		if len(starts) < 7 {
			require.NoError(b, p.stop())
		}
	}
	slices.Sort(starts)
	b.Logf("%-46s median %s of 7 (polled every 25 ms)", "cold start to the first answered request", starts[3].Round(time.Millisecond))
	b.Logf("%-46s %s", "resident memory after the first request", rss(b, p))
	again := signedIn(b, p, "maren")
	require.NoError(b, again.call(http.MethodGet, "/api/codes?q=gout", nil, nil))
	time.Sleep(2 * time.Second)
	b.Logf("%-46s %s", "resident memory after sign-in and a search", rss(b, p))
}

func rss(b *testing.B, p *program) string {
	status, err := os.ReadFile("/proc/" + strconv.Itoa(p.cmd.Process.Pid) + "/status")
	require.NoError(b, err)
	for _, l := range strings.Split(string(status), "\n") {
		if v, ok := strings.CutPrefix(l, "VmRSS:"); ok {
			kb, _ := strconv.Atoi(strings.Fields(v)[0])
			return fmt.Sprintf("%d MB", kb/1024)
		}
	}
	return "unknown on this system"
}
