package e2e

import (
	"bufio"
	"fmt"
	"net"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/exchange/mllp"
)

// TestKill kills the program in the middle of a burst of results and of note
// saves: everything that was acknowledged is there after the restart, once.
func TestKill(t *testing.T) {
	p := practice(t)
	maren := signedIn(t, p, "maren")
	note := maren.note(t, p, "Tollefsen")
	placer := text(t, p, "SELECT o.placer FROM lab_order o JOIN patient p ON p.id = o.patient_id WHERE p.family = 'Varga' LIMIT 1") + "-1"

	var mu sync.Mutex
	acknowledged, version := 0, 0
	var wg sync.WaitGroup
	wg.Go(func() {
		c, err := net.Dial("tcp", p.mllp)
		if err != nil {
			return
		}
		defer c.Close()
		r := bufio.NewReader(c)
		for n := 1; ; n++ {
			if mllp.Write(c, []byte(oru(placer, "Varga", "Leocadia", "19430427", "F", n))) != nil {
				return
			}
			answer, err := mllp.Read(r, 1<<20)
			if err != nil || !strings.Contains(string(answer), "MSA|AA|") {
				return
			}
			mu.Lock()
			acknowledged = n
			mu.Unlock()
		}
	})
	wg.Go(func() {
		for base := 0; ; base++ {
			s, err := maren.save(note, fmt.Sprintf("Sentence %d.", base+1), base)
			if err != nil || s.Stale {
				return
			}
			mu.Lock()
			version = s.Version
			mu.Unlock()
		}
	})
	require.Eventually(t, func() bool {
		mu.Lock()
		defer mu.Unlock()
		return acknowledged > 20 && version > 20
	}, 30*time.Second, time.Millisecond, "both are at work")
	p.kill()
	wg.Wait()
	t.Logf("acknowledged before the kill: %d results, %d saves", acknowledged, version)

	require.NoError(t, p.start())
	require.Eventually(t, func() bool { return p.count(t, "SELECT count(*) FROM inbox WHERE state = 'stored'") == 0 }, 20*time.Second,
		50*time.Millisecond, "what was stored is understood after the restart")
	for n := 1; n <= acknowledged; n++ {
		require.Equal(t, 1, p.count(t, "SELECT count(*) FROM report WHERE filler = ?", fmt.Sprintf("X%06d", n)), "result %d was acknowledged", n)
	}
	require.LessOrEqual(t, p.count(t, "SELECT count(*) FROM report WHERE filler LIKE 'X%'"), acknowledged+1)
	kept := p.count(t, "SELECT version FROM note_part WHERE note_id = ? AND part = 'plan'", note)
	require.GreaterOrEqual(t, kept, version, "every save that was answered is there")
	require.Equal(t, fmt.Sprintf("Sentence %d.", kept), text(t, p, "SELECT text FROM note_part WHERE note_id = ? AND part = 'plan'", note))
	said, good := p.verify()
	require.True(t, good, said)
}

// TestServerGoneWhileTyping loses the server in the middle of a sentence, and the
// window too: what was typed is kept, unreadable for others, and sent on return.
func TestServerGoneWhileTyping(t *testing.T) {
	p := practice(t)
	h := sit(t, p)
	h.signIn("maren")
	h.startThird()
	h.types("The first half of the sentence")
	h.sees("Saved")
	p.kill()
	h.types(" and the second half, typed while the server was gone.")
	h.sees("The server does not answer")
	h.sees("Not saved yet: kept in this browser")
	kept := eval[string](h, `Object.entries(localStorage).filter(([k]) => k.startsWith("deftledger:")).map(([, v]) => v).join()`)
	require.NotEmpty(t, kept)
	require.NotContains(t, kept, "half")
	require.NotContains(t, eval[string](h, `Object.values(localStorage).map((v) => { try { return atob(v) } catch { return v } }).join()`),
		"half", "what is kept is encrypted")

	require.NoError(t, p.start())
	saved := "SELECT text FROM note_part p JOIN note n ON n.id = p.note_id JOIN patient x ON x.id = n.patient_id WHERE x.family = 'Tollefsen' AND part = 'subjective'"
	whole := "The first half of the sentence and the second half, typed while the server was gone."
	require.Eventually(t, func() bool { return text(t, p, saved) == whole }, 15*time.Second, 50*time.Millisecond)
	h.wait(`Object.keys(localStorage).filter((k) => k.startsWith("deftledger:")).length === 0`, "the kept text being wiped")
	h.seesNot("The server does not answer")

	// Once more, and this time the window is closed before the server is back.
	p.kill()
	h.types(" More.")
	h.sees("Not saved yet: kept in this browser")
	h.do(navigate("about:blank"))
	require.NoError(t, p.start())
	h.do(navigate("http://" + p.http))
	h.sees("Caspian Roe")
	require.Eventually(t, func() bool { return text(t, p, saved) == whole+" More." }, 15*time.Second, 50*time.Millisecond)
}

// TestKillWhileTheHouseIsBusy kills the program while tests of the house, vaccines and
// prepared orders are entered: every act that was answered is there after the restart,
// once, also when it is sent again; and nothing is there by half.
func TestKillWhileTheHouseIsBusy(t *testing.T) {
	p := practice(t)
	jonah := signedIn(t, p, "jonah")
	visit := text(t, p, "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.family = 'Achterberg' ORDER BY v.starts_at DESC LIMIT 1")
	patient := text(t, p, "SELECT patient_id FROM visit WHERE id = ?", visit)
	given := map[string]any{"cvx": "115", "maker": "Orrery", "lot": "T1", "expires": "2099-06-30", "dose": "0.5 mL", "route": "intramuscular",
		"site": "left deltoid", "sheet": "2025-01-31"}
	acts := map[string]func(n int) error{
		"tests": func(n int) error {
			return jonah.call(http.MethodPost, "/api/visits/"+visit+"/tests", map[string]any{"id": fmt.Sprintf("t%d", n), "test": "GLUC",
				"values": map[string]string{"GLUC": fmt.Sprint(100 + n%300)}, "kit": map[string]string{"lot": "G", "expires": "2099-01-01"},
				"control": "valid"}, nil)
		},
		"vaccines": func(n int) error {
			return jonah.call(http.MethodPost, "/api/visits/"+visit+"/vaccines", map[string]any{"id": fmt.Sprintf("g%d", n), "given": given,
				"confirmed": true}, nil)
		},
		"orders": func(n int) error {
			return jonah.call(http.MethodPost, "/api/patients/"+patient+"/orders/prepared", map[string]any{"visitId": visit, "priority": "R",
				"drawing": "site", "requestId": fmt.Sprintf("kill%d", n), "tests": []map[string]any{{"code": "K", "diagnoses": []string{"I10"}}}}, nil)
		},
	}
	var mu sync.Mutex
	answered := map[string]int{}
	var wg sync.WaitGroup
	for what, act := range acts {
		wg.Go(func() {
			for n := 1; act(n) == nil; n++ {
				mu.Lock()
				answered[what] = n
				mu.Unlock()
			}
		})
	}
	require.Eventually(t, func() bool {
		mu.Lock()
		defer mu.Unlock()
		return answered["tests"] > 2 && answered["vaccines"] > 2 && answered["orders"] > 2
	}, time.Minute, 10*time.Millisecond, "work of each kind is under way")
	p.kill()
	wg.Wait()
	t.Logf("answered before the kill: %v", answered)
	require.NoError(t, p.start())
	for what, n := range answered {
		require.NoError(t, acts[what](n), "sent again after a lost answer")
	}
	for what, query := range map[string]string{
		"tests":    "SELECT count(*) FROM report WHERE filler LIKE 'house:t%'",
		"vaccines": "SELECT count(*) FROM immunization WHERE id LIKE 'g%'",
		"orders":   "SELECT count(*) FROM prepared_order WHERE request_id LIKE 'kill%'",
	} {
		n := p.count(t, query)
		require.GreaterOrEqual(t, n, answered[what], "%s that were answered are there", what)
		require.LessOrEqual(t, n, answered[what]+1, "at most the one under way is there too")
	}
	require.Equal(t, p.count(t, "SELECT count(*) FROM report WHERE filler LIKE 'house:t%'"),
		p.count(t, "SELECT count(*) FROM report r JOIN house_result h ON h.report_id = r.id JOIN line l ON l.subject = r.id WHERE r.filler LIKE 'house:t%' AND l.closed_at = ''"), "each with its kit and its open line")
	require.Equal(t, p.count(t, "SELECT count(*) FROM prepared_order WHERE request_id LIKE 'kill%'"),
		p.count(t, "SELECT count(*) FROM prepared_order o JOIN line l ON l.subject = o.id AND l.kind = 'to sign' WHERE o.request_id LIKE 'kill%' AND l.closed_at = ''"), "each with its open line")
	said, good := p.verify()
	require.True(t, good, said)
}

// TestKillWhileMessagesGoOut kills the program while messages to the portal are written
// and sent: every one that was answered arrives, once, and its line closes.
func TestKillWhileMessagesGoOut(t *testing.T) {
	e, flags := elsewhere(t)
	p := practice(t, flags...)
	maren := signedIn(t, p, "maren")
	visit := text(t, p, "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.family = 'Marsh-Adeyemi' ORDER BY v.starts_at DESC LIMIT 1")
	require.NoError(t, maren.call(http.MethodPost, "/api/visits/"+visit+"/start", nil, nil))
	note := noteOf(t, p, "Marsh-Adeyemi")
	send := func(n int) error {
		return maren.call(http.MethodPost, "/api/notes/"+note+"/messages", map[string]any{"id": fmt.Sprintf("message-%d", n),
			"text": fmt.Sprintf("Message %d.", n)}, nil)
	}
	var answered atomic.Int64
	done := make(chan struct{})
	go func() {
		defer close(done)
		for n := 1; send(n) == nil; n++ {
			answered.Store(int64(n))
		}
	}()
	require.Eventually(t, func() bool { return answered.Load() > 20 && len(e.Messages()) > 5 }, time.Minute, 5*time.Millisecond,
		"messages go out")
	p.kill()
	<-done
	n := int(answered.Load())
	require.NoError(t, p.start())
	require.NoError(t, send(n), "sent again after a lost answer")
	require.Eventually(t, func() bool { return p.count(t, "SELECT count(*) FROM message WHERE state = 'waiting'") == 0 }, 30*time.Second,
		50*time.Millisecond, "what waited goes out after the restart")
	kept := p.count(t, "SELECT count(*) FROM message")
	require.GreaterOrEqual(t, kept, n)
	require.LessOrEqual(t, kept, n+1, "at most the one under way is there too")
	taken := e.Messages()
	require.Len(t, taken, kept, "each is one message at the portal, however often it was tried")
	for i := 1; i <= n; i++ {
		require.Equal(t, fmt.Sprintf("Message %d.", i), taken[fmt.Sprintf("message-%d", i)].Text)
	}
	require.Equal(t, 0, p.count(t, "SELECT count(*) FROM line WHERE kind = 'message' AND closed_at = ''"))
}

// TestKillBetweenAnswers kills the program after each acknowledged act and finds
// every one of them again.
func TestKillBetweenAnswers(t *testing.T) {
	p := practice(t)
	maren := signedIn(t, p, "maren")
	note := maren.note(t, p, "Tollefsen")
	acts := []struct {
		path string
		body map[string]any
		left string
	}{
		{"/findings", map[string]any{"changes": []map[string]any{{"area": "review", "rest": []string{"constitutional"}, "was": -1}}},
			"SELECT count(*) FROM note_finding WHERE finding = 'chills' AND state = 'absent'"},
		{"/answers", map[string]any{"interview": "back-pain", "link": "onset", "values": []map[string]any{{"code": "sudden"}}, "was": 0},
			"SELECT count(*) FROM note_answer WHERE link = 'onset' AND note_id = '" + note + "'"},
		{"/drawings", map[string]any{"id": "d", "outline": "back", "caption": "Pain", "strokes": `[{"color":"red","points":[[1,1,0.5]]}]`,
			"version": 0}, "SELECT count(*) FROM note_drawing"},
	}
	for _, a := range acts {
		require.NoError(t, maren.call(http.MethodPost, "/api/notes/"+note+a.path, a.body, nil), a.path)
		p.kill()
		require.NoError(t, p.start())
		maren.base = "http://" + p.http
		require.Equal(t, 1, p.count(t, a.left), a.path)
	}
	visit := text(t, p, "SELECT visit_id FROM note WHERE id = ?", note)
	require.NoError(t, maren.call(http.MethodPost, "/api/visits/"+visit+"/vitals",
		map[string]any{"entries": []map[string]any{{"loinc": "8867-4", "text": "78"}}, "confirmed": false}, nil))
	p.kill()
	require.NoError(t, p.start())
	require.Equal(t, 1, p.count(t, "SELECT count(*) FROM vital WHERE visit_id = ? AND value = '78'", visit))
	said, good := p.verify()
	require.True(t, good, said)
}
