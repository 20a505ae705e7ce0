package standin

import (
	"embed"
	"strings"
	"time"
)

//go:embed records
var records embed.FS

// Record is what another house writes of somebody of the demo, written by hand from the published standards, as C-CDA (.xml) or FHIR (.json).
func Record(name string) ([]byte, error) { return records.ReadFile("records/" + name) }

// RecordOf is such a record as if what it tells of, on 11 May 2026 and two days before, had been on another day.
func RecordOf(name string, day time.Time) ([]byte, error) {
	raw, err := Record(name)
	return []byte(strings.NewReplacer("2026-05-11", day.Format(time.DateOnly), "11 May 2026", day.Format("2 January 2006"), "2026-05-09", day.AddDate(0, 0, -2).Format(time.DateOnly)).Replace(string(raw))), err
}
