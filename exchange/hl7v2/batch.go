package hl7v2

import (
	"bytes"
	"strconv"
	"strings"
	"time"
)

// Batch is a file or a batch of messages (HL7 v2.5.1, 2.10.3): FHS, BHS, the messages, BTS,
// FTS; or several messages one after another without any of these.
type Batch struct {
	Messages [][]byte
	Envelope []byte // what is around the messages
	Wrong    string // how the batch is not whole, "" when it is
	file     *Segment
	batch    *Segment
}

// ParseBatch takes a batch apart; ok is false for a single message, or what is none.
func ParseBatch(raw []byte) (b Batch, ok bool) {
	count, ended := -1, 0
	var message []byte
	end := func() {
		if len(bytes.TrimSpace(message)) > 0 {
			b.Messages = append(b.Messages, message)
		}
		message = nil
	}
	for line := range bytes.SplitAfterSeq(normalEnds(raw), []byte("\r")) {
		text := strings.TrimSpace(string(line))
		name := ""
		if len(text) > 3 && (text[3] < '0' || text[3] > 'z') || len(text) == 3 {
			name = text[:3]
		}
		switch name {
		case "FHS", "BHS":
			end()
			s, err := header("MSH" + text[3:])
			if err == nil && name == "FHS" {
				b.file = &s
			} else if err == nil {
				b.batch = &s
			}
		case "BTS", "FTS":
			end()
			if name == "BTS" {
				ended++
				if f := strings.Split(text, "|"); len(f) > 1 {
					if n, err := strconv.Atoi(strings.TrimSpace(f[1])); err == nil {
						count = max(0, count) + n
					}
				}
			}
		case "MSH":
			end()
			message = append(message, line...)
			continue
		default:
			message = append(message, line...)
			continue
		}
		b.Envelope = append(b.Envelope, line...)
	}
	end()
	if b.file == nil && b.batch == nil && len(b.Messages) < 2 {
		return Batch{}, false
	}
	if b.batch == nil && b.file == nil {
		return b, strings.HasPrefix(string(b.Messages[0]), "MSH")
	}
	switch {
	case count >= 0 && count != len(b.Messages):
		b.Wrong = "the batch says that it holds " + strconv.Itoa(count) + " messages, and " + strconv.Itoa(len(b.Messages)) + " came; ask the sender what is missing"
	case b.batch != nil && ended == 0:
		b.Wrong = "the batch has no end (BTS), so that some of it may be missing; ask the sender"
	}
	return b, true
}

// normalEnds writes line ends as carriage returns where they are line feeds only, or both.
func normalEnds(raw []byte) []byte {
	raw = bytes.TrimLeft(raw, "\r\n\x00 \t\ufeff")
	if !bytes.Contains(raw, []byte("\r")) {
		return bytes.ReplaceAll(raw, []byte("\n"), []byte("\r"))
	}
	return bytes.ReplaceAll(raw, []byte("\r\n"), []byte("\r"))
}

// Answer is the answer to a batch: the acknowledgement of each message, in a batch that
// names the one it answers.
func (b Batch) Answer(acks [][]byte, control string, at time.Time) []byte {
	var out []byte
	head := func(name string, of *Segment) {
		out = append(out, strings.Join([]string{name, `^~\&`, "DEFTLEDGER", "", Escape(of.Get(3, 1)), Escape(of.Get(4, 1)), stamp(at), "", "", "",
			control, Escape(of.Get(11, 1))}, "|")+"\r"...)
	}
	if b.file != nil {
		head("FHS", b.file)
	}
	if b.batch != nil {
		head("BHS", b.batch)
	}
	for _, ack := range acks {
		out = append(out, ack...)
	}
	if b.batch != nil {
		out = append(out, "BTS|"+strconv.Itoa(len(acks))+"|"+Escape(b.Wrong)+"\r"...)
	}
	if b.file != nil {
		out = append(out, "FTS|1\r"...)
	}
	return out
}
