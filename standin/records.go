package standin

import "embed"

//go:embed records/*.xml
var records embed.FS

// Record is what another house writes of somebody of the demo, as C-CDA, written by hand from the published standard: "northsound-discharge"
// and "gannet-ccd".
func Record(name string) ([]byte, error) { return records.ReadFile("records/" + name + ".xml") }
