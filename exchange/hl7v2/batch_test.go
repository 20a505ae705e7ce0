package hl7v2

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Batches as different senders write them; what is expected was read off the standard
// (HL7 v2.5.1, 2.10.3) by hand.
func TestParseBatch(t *testing.T) {
	m := func(control string) string {
		return "MSH|^~\\&|L|L|||2026||ORU^R01|" + control + "|P|2.3\rPID|1\rOBR|1\r"
	}
	for _, c := range []struct {
		name, text string
		is         bool
		messages   int
		wrong      string
	}{
		{"a single message", m("1"), false, 0, ""},
		{"nothing", "", false, 0, ""},
		{"no HL7", "GET / HTTP/1.1\r\n\r\n", false, 0, ""},
		{"a file", "FHS|^~\\&|L|L|||2026||||F1\rBHS|^~\\&|L|L|||2026||||B1\r" + m("1") + m("2") + "BTS|2\rFTS|1\r", true, 2, ""},
		{"a batch without a file", "BHS|^~\\&|L|L\r" + m("1") + "BTS|1\r", true, 1, ""},
		{"a batch of none", "BHS|^~\\&|L|L\rBTS|0\r", true, 0, ""},
		{"no count", "BHS|^~\\&|L|L\r" + m("1") + m("2") + "BTS\r", true, 2, ""},
		{"a wrong count", "BHS|^~\\&|L|L\r" + m("1") + m("2") + "BTS|3\r", true, 2, "holds 3 messages, and 2 came"},
		{"cut off", "BHS|^~\\&|L|L\r" + m("1") + m("2"), true, 2, "no end"},
		{"two batches in a file", "FHS|^~\\&|L\rBHS|^~\\&|L\r" + m("1") + "BTS|1\rBHS|^~\\&|L\r" + m("2") + m("3") + "BTS|2\rFTS|2\r", true, 3, ""},
		{"messages in a row", m("1") + m("2"), true, 2, ""},
		{"rubbish within", "BHS|^~\\&|L\rrubbish\r" + m("1") + "BTS|1\r", true, 2, "holds 1 messages, and 2 came"},
	} {
		t.Run(c.name, func(t *testing.T) {
			for _, text := range []string{c.text, strings.ReplaceAll(c.text, "\r", "\n"), strings.ReplaceAll(c.text, "\r", "\r\n")} {
				if c.name == "no HL7" && text != c.text {
					continue
				}
				b, is := ParseBatch([]byte(text))
				require.Equal(t, c.is, is)
				require.Len(t, b.Messages, c.messages)
				if c.wrong == "" {
					require.Empty(t, b.Wrong)
				}
				require.Contains(t, b.Wrong, c.wrong)
			}
		})
	}
	b, _ := ParseBatch([]byte("FHS|^~\\&|LAB|HOUSE|||2026||||F1\rBHS|^~\\&|LAB|HOUSE|||2026||||B1\r" + m("1") + "BTS|1\rFTS|1\r"))
	require.Equal(t, "FHS|^~\\&|DEFTLEDGER||LAB|HOUSE|20261123080000-0500||||X1|F1\rBHS|^~\\&|DEFTLEDGER||LAB|HOUSE|20261123080000-0500||||X1|B1\rMSA\rBTS|1|\rFTS|1\r",
		string(b.Answer([][]byte{[]byte("MSA\r")}, "X1", time.Date(2026, 11, 23, 8, 0, 0, 0, zone))))
}

// Whatever comes: nothing of it is lost between the messages and what is around them.
func FuzzParseBatch(f *testing.F) {
	f.Add([]byte("FHS|^~\\&|L\rBHS|^~\\&|L\rMSH|^~\\&|L\rPID|1\rBTS|1\rFTS|1\r"))
	f.Add([]byte("MSH|^~\\&|L\nMSH|^~\\&|L\n"))
	f.Fuzz(func(t *testing.T, raw []byte) {
		b, ok := ParseBatch(raw)
		if !ok {
			return
		}
		kept := strings.Join(strings.Fields(string(b.Envelope)), "")
		for _, m := range b.Messages {
			kept += strings.Join(strings.Fields(string(m)), "")
		}
		if came := strings.Join(strings.Fields(string(normalEnds(raw))), ""); len(kept) != len(came) {
			t.Fatalf("%d characters came, %d are kept", len(came), len(kept))
		}
		_ = b.Answer(nil, "X", time.Time{})
	})
}
