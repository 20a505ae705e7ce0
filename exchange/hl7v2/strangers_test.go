package hl7v2

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// The messages in testdata/strangers, each with its right answer, which was written before
// the reader read them. Those with line feeds alone are read with carriage returns too.
func TestMessagesOfStrangers(t *testing.T) {
	eachStranger(t, "testdata/strangers", func(t *testing.T, raw, want string) {
		forms := []string{raw}
		if !strings.Contains(raw, "\r") {
			forms = append(forms, strings.ReplaceAll(raw, "\n", "\r"), strings.ReplaceAll(raw, "\n", "\r\n"))
		}
		for _, form := range forms {
			rs, err := ParseReports([]byte(form), zone)
			if held, is := strings.CutPrefix(strings.TrimSpace(want), "held "); is {
				require.ErrorContains(t, err, held)
				continue
			}
			require.NoError(t, err)
			require.Equal(t, strings.Join(strings.Fields(want), " "), strings.Join(strings.Fields(rendered(rs)), " "), "\n%s", rendered(rs))
		}
	})
}

// eachStranger tries every message of a directory with the right answer that stands beside it.
func eachStranger(t *testing.T, dir string, try func(t *testing.T, raw, want string)) {
	files, err := filepath.Glob(dir + "/*.hl7")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".hl7"), func(t *testing.T) {
			raw, err := os.ReadFile(file)
			require.NoError(t, err)
			want, err := os.ReadFile(strings.TrimSuffix(file, "hl7") + "want")
			require.NoError(t, err)
			try(t, string(raw), string(want))
		})
	}
}

// rendered writes what was read in the form of the .want files.
func rendered(rs Results) string {
	var b strings.Builder
	line := func(indent, word string, parts ...string) {
		if text := strings.Join(parts, ""); text != "" {
			fmt.Fprintf(&b, "%s%s %s\n", indent, word, strings.ReplaceAll(text, "\n", " / "))
		}
	}
	at := func(when Time) string {
		if when.Digits == 0 && when.Raw != "" {
			return "unreadable " + when.Raw
		}
		return when.Say()
	}
	pair := func(a, b string) string {
		if b != "" {
			return a + " (ORC: " + b + ")"
		}
		return a
	}
	line("", "note", rs.Notes)
	for _, p := range rs.Patients {
		born := p.Patient.BirthDate
		if p.Patient.BirthSaid != "" {
			born = "unreadable " + p.Patient.BirthSaid
		}
		line("", "patient", p.Patient.Family, ", ", p.Patient.Given, " | ", born, " | ", p.Patient.Sex, " | ", p.Patient.Phone)
		for _, n := range p.Patient.Records {
			line("  ", "record", n.Number, " | ", n.Assigner, " | ", n.Kind)
		}
		line("  ", "note", p.Notes)
		for _, r := range p.Reports {
			line("", "report", r.Code, " | ", r.Title, " | ", r.LOINC, " | ", r.Status)
			line("  ", "order", pair(r.Placer, r.OtherPlacer), " / ", pair(r.Filler, r.OtherFiller))
			line("  ", "collected", at(r.Collected))
			line("  ", "reported", at(r.Reported))
			line("  ", "parent", r.Parent)
			line("  ", "reason", r.Reason)
			for _, s := range r.Specimens {
				line("  ", "specimen", s.Type)
				line("  ", "refused", s.Refused)
				line("  ", "condition", s.Condition)
			}
			line("  ", "note", r.Notes)
			for _, v := range r.Values {
				code := v.Code
				if v.Details.SubID != "" {
					code += "/" + v.Details.SubID
				}
				line("  ", "value", strings.Join([]string{code, v.Name, v.LOINC, v.Text, v.Unit, v.Range, v.Flag, v.Status}, " | "))
				d := v.Details
				var more []string
				for _, m := range []string{d.ObservedAt, d.Method, d.Performer, d.Address, d.Director} {
					if m != "" {
						more = append(more, m)
					}
				}
				line("    ", "more", strings.Join(more, "; "))
				line("    ", "note", v.Notes)
			}
		}
	}
	return b.String()
}

func TestParseTime(t *testing.T) {
	for in, want := range map[string]string{
		"2026": "2026", "202611": "2026-11", "20261123": "2026-11-23", "2026112307": "2026-11-23T07-05:00", "202611230750": "2026-11-23T07:50-05:00",
		"20261123075012.123+0100": "2026-11-23T07:50:12+01:00", "2026-11-23": "2026-11-23", "2026-11": "2026-11", "2026-11-23T07:50:12Z": "2026-11-23T07:50:12Z",
		"20261123 0750": "2026-11-23T07:50-05:00", "20261123-0500": "2026-11-23", "202611-0500": "2026-11", "2026-0500": "2026", `""`: "", "": "",
	} {
		got := ParseTime(in, zone)
		require.Equal(t, want, got.Say(), in)
	}
	for _, in := range []string{"20261323", "20260230", "26", "20261123250000", "2026112307501", "yesterday", "20261123+9", "00000000", "0000", "11/23/2026",
		"20261123T", "2026-1123", "99991231", "2026-11-23T0750:1"} {
		require.Equal(t, Time{Raw: in}, ParseTime(in, zone), in)
	}
	require.True(t, ParseTime("202611230750+0100", zone).At.Equal(time.Date(2026, 11, 23, 6, 50, 0, 0, time.UTC)))
}
