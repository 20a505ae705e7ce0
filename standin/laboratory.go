// Package standin plays the other parties: here a laboratory that takes orders
// and sends results over MLLP. It is somebody else's system: it imports nothing
// of ours, and its messages are templates written by hand from the published HL7
// v2.5.1 guide, so that its mistakes and ours do not cancel out.
package standin

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"net"
	"os"
	"strconv"
	"strings"
	"sync"
	"time"
)

// Analyte is one value the laboratory reports; Expected is the usual one in words where it
// has no unit. Range gives the ends of its range for somebody of a sex born on a day
// (YYYY-MM-DD), both empty where there is none.
type Analyte struct {
	Code, Name, LOINC, Unit, Expected string
	Range                             func(sex, born string) (low, high string)
}

// Test is one test the laboratory offers.
type Test struct {
	Code, Name, LOINC string
	Analytes          []Analyte
}

// Laboratory is the simulated laboratory.
type Laboratory struct {
	Name, Facility string
	Tests          map[string]Test
	Deliver        string            // host:port of the practice's result listener
	Delay          time.Duration     // from accession to the preliminary result, and again to the final one
	Diary          string            // file that survives a restart; "" keeps all in memory
	Refuse         map[string]string // test code → reason for refusing it
	Silent         bool              // takes orders and never answers with results

	mu       sync.Mutex
	accepted map[string]*accession // by number of the order
	received [][]byte
	ln       net.Listener
	stop     chan struct{}
	wg       sync.WaitGroup
}

// accession is one accepted order; Sent counts the result messages acknowledged.
type accession struct {
	Number  string
	Control string
	Order   string
	At      time.Time
	Sent    int
	Called  bool // the practice has called it off
}

// Open listens for orders and resumes what the diary says was not delivered yet.
func (l *Laboratory) Open(addr string) error {
	l.accepted, l.stop = map[string]*accession{}, make(chan struct{})
	if l.Diary != "" {
		if text, err := os.ReadFile(l.Diary); err == nil {
			for _, line := range bytes.Split(text, []byte("\n")) {
				var a accession
				if json.Unmarshal(line, &a) == nil && a.Control != "" {
					l.accepted[a.Control] = &a
				}
			}
		}
	}
	ln, err := net.Listen("tcp", addr)
	if err != nil {
		return err
	}
	l.ln = ln
	l.mu.Lock()
	for _, a := range l.accepted {
		if a.Sent < 2 && !a.Called {
			l.wg.Add(1)
			go l.work(a)
		}
	}
	l.mu.Unlock()
	l.wg.Add(1)
	go func() {
		defer l.wg.Done()
		for {
			c, err := ln.Accept()
			if err != nil {
				return
			}
			go l.serve(c)
		}
	}()
	return nil
}

// Addr is where the laboratory listens.
func (l *Laboratory) Addr() string { return l.ln.Addr().String() }

// Close stops listening and delivering.
func (l *Laboratory) Close() {
	close(l.stop)
	l.ln.Close()
	l.wg.Wait()
}

// Accessions returns the numbers of the orders accepted, each once.
func (l *Laboratory) Accessions() []string {
	l.mu.Lock()
	defer l.mu.Unlock()
	var out []string
	for c := range l.accepted {
		out = append(out, c)
	}
	return out
}

// Received returns every message that arrived, as it was on the wire.
func (l *Laboratory) Received() [][]byte {
	l.mu.Lock()
	defer l.mu.Unlock()
	return append([][]byte(nil), l.received...)
}

func (l *Laboratory) note(a *accession) {
	if l.Diary == "" {
		return
	}
	line, _ := json.Marshal(a)
	f, err := os.OpenFile(l.Diary, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return
	}
	defer f.Close()
	_, _ = f.Write(append(line, '\n'))
	_ = f.Sync()
}

func readFrame(r *bufio.Reader) (string, error) {
	if _, err := r.ReadString(0x0B); err != nil {
		return "", err
	}
	text, err := r.ReadString(0x1C)
	if err != nil {
		return "", err
	}
	if _, err := r.ReadByte(); err != nil {
		return "", err
	}
	return strings.TrimSuffix(text, "\x1c"), nil
}

func (l *Laboratory) serve(c net.Conn) {
	defer c.Close()
	r := bufio.NewReader(c)
	for {
		text, err := readFrame(r)
		if err != nil {
			return
		}
		if _, err := c.Write([]byte("\x0b" + l.take(text) + "\x1c\r")); err != nil {
			return
		}
	}
}

func field(segment string, n int) string {
	f := strings.Split(segment, "|")
	if n < len(f) {
		return f[n]
	}
	return ""
}

func part(s string, n int) string {
	p := strings.Split(s, "^")
	if n <= len(p) {
		return p[n-1]
	}
	return ""
}

// take answers one order message with ORL^O22.
func (l *Laboratory) take(text string) string {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.received = append(l.received, []byte(text))
	lines := strings.Split(strings.TrimRight(text, "\r"), "\r")
	control, now := field(lines[0], 9), time.Now().Format("20060102150405-0700")
	answer := func(code, rest string) string {
		return "MSH|^~\\&|LIS|" + l.Facility + "|DEFTLEDGER|" + field(lines[0], 3) + "|" + now + "||ORL^O22^ORL_O22|L" + control +
			"|P|2.5.1\rMSA|" + code + "|" + control + "\r" + rest
	}
	if field(lines[0], 8) != "OML^O21^OML_O21" {
		return answer("AR", "ERR|||200^Unsupported message type^HL70357|E||||This laboratory takes orders only\r")
	}
	for _, s := range lines {
		if strings.HasPrefix(s, "ORC|CA|") {
			return l.callOff(lines, part(field(s, 4), 1), answer)
		}
	}
	number := control // an order sent again has its number from the first time
	for _, s := range lines {
		if strings.HasPrefix(s, "ORC|SS|") {
			return l.standing(lines, part(field(s, 4), 1), answer)
		}
		if n := part(field(s, 4), 1); strings.HasPrefix(s, "ORC|") && n != "" {
			number = n
		}
	}
	for _, s := range lines {
		if !strings.HasPrefix(s, "OBR|") {
			continue
		}
		code := part(field(s, 4), 1)
		if why := l.Refuse[code]; why != "" {
			return answer("AE", "ERR||OBR^1^4|207^Application internal error^HL70357|E||||"+why+"\r")
		}
		if _, ok := l.Tests[code]; !ok {
			return answer("AE", "ERR||OBR^1^4|103^Table value not found^HL70357|E||||Test "+code+" is not in our list\r")
		}
	}
	a := l.accepted[number]
	if a == nil {
		h := fnv.New32a()
		h.Write([]byte(number))
		a = &accession{Number: fmt.Sprintf("BR%08d", h.Sum32()%100000000), Control: number, Order: text, At: time.Now()}
		l.accepted[number] = a
		l.note(a)
		if !l.Silent {
			l.wg.Add(1)
			go l.work(a)
		}
	}
	rest := ""
	for _, s := range lines {
		if strings.HasPrefix(s, "ORC|") {
			rest += "ORC|OK|" + field(s, 2) + "|" + a.Number + "\r"
		}
	}
	return answer("AA", rest)
}

// callOff cancels an order that was taken before, unless its results are out already.
func (l *Laboratory) callOff(lines []string, order string, answer func(code, rest string) string) string {
	a := l.accepted[order]
	if a == nil {
		return answer("AE", "ERR|||204^Unknown key identifier^HL70357|E||||There is no order "+order+" here\r")
	}
	if a.Sent >= 2 {
		return answer("AE", "ERR|||207^Application internal error^HL70357|E||||The results of "+order+" are out already\r")
	}
	a.Called = true
	l.note(a)
	rest := ""
	for _, s := range lines {
		if strings.HasPrefix(s, "ORC|") {
			rest += "ORC|CR|" + field(s, 2) + "|" + a.Number + "\r"
		}
	}
	return answer("AA", rest)
}

// standing says how far an order has come (ORC-1 SR; ORC-5 of table 0038).
func (l *Laboratory) standing(lines []string, order string, answer func(code, rest string) string) string {
	a := l.accepted[order]
	status, number := "ER", ""
	if a != nil {
		number = a.Number
		switch {
		case a.Called:
			status = "CA"
		case a.Sent >= 2:
			status = "CM"
		case a.Sent == 1:
			status = "A"
		default:
			status = "IP"
		}
	}
	rest := ""
	for _, s := range lines {
		if strings.HasPrefix(s, "ORC|") {
			rest += "ORC|SR|" + field(s, 2) + "|" + number + "||" + status + "\r"
		}
	}
	return answer("AA", rest)
}

// Lose forgets an order, as if it had never come.
func (l *Laboratory) Lose(order string) {
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.accepted, order)
}

// work sends the preliminary and then the final result, each until acknowledged.
func (l *Laboratory) work(a *accession) {
	defer l.wg.Done()
	for a.Sent < 2 {
		if !l.sleep(l.Delay) {
			return
		}
		l.mu.Lock()
		called := a.Called
		l.mu.Unlock()
		if called {
			return
		}
		status := "P"
		if a.Sent == 1 {
			status = "F"
		}
		message := l.result(a, status)
		for wait := 200 * time.Millisecond; ; wait = min(2*wait, 5*time.Second) {
			if ok := l.send(message, field(strings.SplitN(message, "\r", 2)[0], 9)); ok {
				break
			}
			if !l.sleep(wait) {
				return
			}
		}
		l.mu.Lock()
		a.Sent++
		l.note(a)
		l.mu.Unlock()
	}
}

func (l *Laboratory) sleep(d time.Duration) bool {
	select {
	case <-l.stop:
		return false
	case <-time.After(d):
		return true
	}
}

func (l *Laboratory) send(message, control string) bool {
	answer, err := Send(l.Deliver, message)
	if err != nil {
		return false
	}
	for _, s := range strings.Split(answer, "\r") {
		if strings.HasPrefix(s, "MSA|") {
			return field(s, 1) == "AA" && field(s, 2) == control
		}
	}
	return false
}

// Send delivers one message over MLLP and returns the answer.
func Send(addr, message string) (string, error) {
	c, err := net.DialTimeout("tcp", addr, 2*time.Second)
	if err != nil {
		return "", err
	}
	defer c.Close()
	_ = c.SetDeadline(time.Now().Add(10 * time.Second))
	if _, err := c.Write([]byte("\x0b" + message + "\x1c\r")); err != nil {
		return "", err
	}
	return readFrame(bufio.NewReader(c))
}

// result writes ORU^R01 for an accession. A preliminary one reports the first test
// only and says that more follows.
func (l *Laboratory) result(a *accession, status string) string {
	var msh, pid string
	var orders []string
	for _, s := range strings.Split(a.Order, "\r") {
		switch {
		case strings.HasPrefix(s, "MSH|"):
			msh = s
		case strings.HasPrefix(s, "PID|"):
			pid = s
		case strings.HasPrefix(s, "OBR|"):
			orders = append(orders, s)
		}
	}
	now := time.Now().Format("20060102150405-0700")
	out := "MSH|^~\\&|LIS|" + l.Facility + "|DEFTLEDGER|" + field(msh, 3) + "|" + now + "||ORU^R01^ORU_R01|" + a.Number + status +
		"|P|2.5.1||||||UNICODE UTF-8\r" + pid + "\r"
	if status == "P" {
		orders = orders[:1]
	}
	for i, obr := range orders {
		test := l.Tests[part(field(obr, 4), 1)]
		collected := field(obr, 7)
		if collected == "" {
			collected = a.At.Format("200601021504-0700")
		}
		out += "ORC|RE|" + field(obr, 2) + "|" + a.Number + "\r"
		out += fmt.Sprintf("OBR|%d|%s|%s|%s|||%s|||||||||||||||%s|||%s\r", i+1, field(obr, 2), a.Number, field(obr, 4), collected, now, status)
		if len(test.Analytes) == 0 {
			out += "OBX|1|CWE|" + test.Code + "^" + test.Name + "^L^" + test.LOINC + "^^LN||260415000^Not detected^SCT||||||" + status + "|||" +
				collected + "|||||||||" + l.Name + "\r"
		}
		for k, x := range test.Analytes {
			value, rng, flag := x.value(a.Number, field(pid, 8), born(field(pid, 7)))
			kind := "NM"
			if x.Unit == "" {
				kind = "ST"
			}
			out += fmt.Sprintf("OBX|%d|%s|%s^%s^L^%s^^LN||%s|%s|%s|%s|||%s|||%s|||||||||%s\r", k+1, kind, x.Code, x.Name, x.LOINC, value, x.Unit, rng,
				flag, status, collected, l.Name)
		}
		if status == "P" {
			out += "NTE|1|L|Preliminary; the final report follows.\r"
		}
	}
	return out
}

// born writes a birth date of a message (YYYYMMDD) with hyphens.
func born(text string) string {
	if len(text) < 8 {
		return text
	}
	return text[:4] + "-" + text[4:6] + "-" + text[6:8]
}

// value makes up a value for an accession, always the same one: mostly within
// the range, now and then a little outside, with the digits of the range.
func (x Analyte) value(seed, sex, birth string) (value, rng, flag string) {
	from, to := "", ""
	if x.Range != nil {
		from, to = x.Range(sex, birth)
	}
	if x.Unit == "" && from == "" && to == "" {
		if x.Expected == "" {
			return "Not detected", "", ""
		}
		return x.Expected, x.Expected, "N" // the usual answer, in words: it is said to be normal (table 0078)
	}
	h := fnv.New32a()
	h.Write([]byte(seed + x.Code))
	u := float64(h.Sum32()%1000) / 1000
	low, err1 := strconv.ParseFloat(from, 64)
	high, err2 := strconv.ParseFloat(to, 64)
	switch {
	case err1 != nil && err2 != nil:
		return "1", "", ""
	case err1 != nil:
		low, rng = 0, "<= "+to
	case err2 != nil:
		high, rng = low*1.6, ">= "+from
	default:
		rng = from + "-" + to
	}
	v := low + (high-low)*(0.1+0.85*u)
	if u > 0.93 && err2 == nil {
		v = high + (high-low)*0.15
	}
	digits := 0
	for _, s := range []string{from, to} {
		if _, after, ok := strings.Cut(s, "."); ok {
			digits = max(digits, len(after))
		}
	}
	value = strconv.FormatFloat(v, 'f', digits, 64)
	shown, _ := strconv.ParseFloat(value, 64)
	switch {
	case err2 == nil && shown > high:
		flag = "H"
	case err1 == nil && shown < low:
		flag = "L"
	}
	return value, rng, flag
}
