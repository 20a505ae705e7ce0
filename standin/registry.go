package standin

import (
	"bufio"
	"net"
	"strings"
	"sync"
	"time"
)

// Registry is a simulated immunization registry: it takes VXU^V04 over MLLP and answers each. What it holds can be looked at.
type Registry struct {
	Facility string
	Known    func(cvx string) bool // nil: every code that is digits

	mu       sync.Mutex
	received []string
	doses    map[string]string // filler number → action of the last message
	ln       net.Listener
}

// Open listens.
func (g *Registry) Open(addr string) error {
	ln, err := net.Listen("tcp", addr)
	if err != nil {
		return err
	}
	g.ln, g.doses = ln, map[string]string{}
	go func() {
		for {
			c, err := ln.Accept()
			if err != nil {
				return
			}
			go g.serve(c)
		}
	}()
	return nil
}

// Addr is where it listens; Close ends it.
func (g *Registry) Addr() string { return g.ln.Addr().String() }

// Close ends listening.
func (g *Registry) Close() { g.ln.Close() }

// Received are the messages as they came, and Doses what it holds: by number, "A" for added, "D" for taken out.
func (g *Registry) Received() []string {
	g.mu.Lock()
	defer g.mu.Unlock()
	return append([]string{}, g.received...)
}

// Doses is what the registry holds.
func (g *Registry) Doses() map[string]string {
	g.mu.Lock()
	defer g.mu.Unlock()
	out := map[string]string{}
	for k, v := range g.doses {
		out[k] = v
	}
	return out
}

func (g *Registry) serve(c net.Conn) {
	defer c.Close()
	r := bufio.NewReader(c)
	for {
		text, err := readFrame(r)
		if err != nil {
			return
		}
		if _, err := c.Write([]byte("\x0b" + g.take(text) + "\x1c\r")); err != nil {
			return
		}
	}
}

func digits(s string) bool {
	return s != "" && strings.Trim(s, "0123456789") == ""
}

// take answers one message with ACK^V04, as the guide has it: what is missing is an error of the application.
func (g *Registry) take(text string) string {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.received = append(g.received, text)
	lines := strings.Split(strings.TrimRight(text, "\r"), "\r")
	control := field(lines[0], 9)
	answer := func(code, where, says string) string {
		out := "MSH|^~\\&|REGISTRY|" + g.Facility + "|DEFTLEDGER|" + field(lines[0], 3) + "|" + time.Now().Format("20060102150405-0700") + "||ACK^V04^ACK|R" + control + "|P|2.5.1|||NE|NE|||||Z23^CDCPHINVS\rMSA|" + code + "|" + control + "\r"
		if says != "" {
			out += "ERR||" + where + "|101^Required field missing^HL70357|E||||" + says + "\r"
		}
		return out
	}
	if field(lines[0], 8) != "VXU^V04^VXU_V04" {
		return answer("AR", "MSH^1^9", "This registry takes VXU^V04 only")
	}
	number := ""
	for _, s := range lines {
		switch {
		case strings.HasPrefix(s, "PID|") && (field(s, 7) == "" || part(field(s, 5), 1) == ""):
			return answer("AE", "PID^1^7", "The birth date or the name is missing")
		case strings.HasPrefix(s, "ORC|"):
			if number = part(field(s, 3), 1); number == "" {
				return answer("AE", "ORC^1^3", "The filler order number is missing")
			}
		case strings.HasPrefix(s, "RXA|"):
			code := part(field(s, 5), 1)
			if !digits(code) || g.Known != nil && !g.Known(code) {
				return answer("AE", "RXA^1^5", "The vaccine code is not known here")
			}
			if len(field(s, 3)) < 8 {
				return answer("AE", "RXA^1^3", "The day of the vaccine is missing")
			}
			g.doses[number] = field(s, 21)
		}
	}
	return answer("AA", "", "")
}
