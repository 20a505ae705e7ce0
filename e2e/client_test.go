package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"deftledger/demo"
)

// client is a browser without a screen: the API with a session.
type client struct {
	http http.Client
	base string
}

func signedIn(t testing.TB, p *program, login string) *client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	c := &client{http: http.Client{Jar: jar, Timeout: 10 * time.Second}, base: "http://" + p.http}
	require.NoError(t, c.call(http.MethodPost, "/api/session", map[string]string{"login": login, "password": demo.Password}, nil))
	return c
}

// call sends a request and reads its answer; any status but 2xx is an error.
func (c *client) call(method, path string, in, out any) error {
	var body io.Reader
	if in != nil {
		raw, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(raw)
	}
	r, err := http.NewRequest(method, c.base+path, body)
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/json")
	a, err := c.http.Do(r)
	if err != nil {
		return err
	}
	defer a.Body.Close()
	raw, err := io.ReadAll(a.Body)
	if err != nil {
		return err
	}
	if a.StatusCode/100 != 2 {
		return fmt.Errorf("%s %s answered %d: %s", method, path, a.StatusCode, raw)
	}
	if out == nil || len(raw) == 0 {
		return nil
	}
	return json.Unmarshal(raw, out)
}

// note starts the visit of a patient and returns its note.
func (c *client) note(t testing.TB, p *program, family string) string {
	t.Helper()
	visit := text(t, p, "SELECT v.id FROM visit v JOIN patient p ON p.id = v.patient_id WHERE p.family = ? ORDER BY v.starts_at DESC LIMIT 1", family)
	var out struct{ NoteID string }
	require.NoError(t, c.call(http.MethodPost, "/api/visits/"+visit+"/start", nil, &out))
	return out.NoteID
}

type saved struct {
	Version int
	Stale   bool
}

func (c *client) save(note, text string, base int) (s saved, err error) {
	err = c.call(http.MethodPut, "/api/notes/"+note+"/parts/plan",
		map[string]any{"text": text, "base": base, "saveId": fmt.Sprintf("%s-%d", note, base)}, &s)
	return s, err
}

// oru writes a result for an order of the demo, under a number of its own.
func oru(placer, family, given, born, sex string, n int) string {
	return fmt.Sprintf("MSH|^~\\&|LIS|BRINEHOUSE|DEFTLEDGER|SKERROW|20261123120000-0500||ORU^R01^ORU_R01|KILL%06d|P|2.5.1||||||UNICODE UTF-8\r"+
		"PID|1||||%s^%s||%s|%s\r"+
		"OBR|1|%s|X%06d|BMP^Basic metabolic panel^L^24321-2^^LN|||202611230800-0500|||||||||||||||20261123115500-0500|||F\r"+
		"OBX|1|NM|K^Potassium^L^2823-3^^LN||4.4|mmol/L|3.5-5.1||||F\rOBX|2|NM|NA^Sodium^L^2951-2^^LN||140|mmol/L|136-145||||F\r"+
		"OBX|3|NM|CREA^Creatinine^L^2160-0^^LN||0.94|mg/dL|0.57-1.02||||F\r", n, family, given, born, sex, placer, n)
}
