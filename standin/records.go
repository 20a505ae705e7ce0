package standin

import "embed"

//go:embed records
var records embed.FS

// Record is what another house writes of somebody of the demo, written by hand from the published standards: "northsound-discharge.xml",
// "gannet-ccd.xml" (C-CDA) and "gannet-visit.json" (FHIR).
func Record(name string) ([]byte, error) { return records.ReadFile("records/" + name) }
