package e2e

import ("os"; "time")

func look(h *hand, name string) {
	if d := os.Getenv("LOOK"); d != "" {
		time.Sleep(300 * time.Millisecond)
		_ = os.WriteFile(d+"/"+name+".png", h.screenshot(), 0o644)
	}
}
