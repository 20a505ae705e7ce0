package fhir

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// What people and portals send, with the right answer: text, from whom, whose; "left" for what
// is left out and said, "" for nothing at all.
func TestQuestionsThroughThePortal(t *testing.T) {
	whose := `"subject":{"reference":"#p"},"contained":[{"resourceType":"Patient","id":"p","birthDate":"1968-03-14","name":[{"family":"Marsh-Adeyemi","given":["Ottoline"]}]}]`
	for _, c := range []struct{ name, resource, want string }{
		{"a question", `{"resourceType":"Communication","id":"c1","status":"completed",` + whose + `,"payload":[{"contentString":"Is the rash from it?"}]}`, "Is the rash from it?||Marsh-Adeyemi"},
		{"in two parts, with a topic", `{"resourceType":"Communication","id":"c2","status":"completed",` + whose + `,"topic":{"text":"Refill"},"payload":[{"contentString":" One. "},{"contentString":"Two."}]}`, "Refill.\nOne.\nTwo.||Marsh-Adeyemi"},
		{"by her husband", `{"resourceType":"Communication","id":"c3","status":"completed",` + whose + `,"sender":{"display":"Tunde Adeyemi"},"payload":[{"contentString":"She fell."}]}`, "She fell.|Tunde Adeyemi|Marsh-Adeyemi"},
		{"with a picture", `{"resourceType":"Communication","id":"c4","status":"completed",` + whose + `,"payload":[{"contentString":"This."},{"contentAttachment":{"contentType":"image/png"}}]}`,
			"This.\n[Something came with it that is not shown here: look at it in the portal.]||Marsh-Adeyemi"},
		{"of nobody", `{"resourceType":"Communication","id":"c5","status":"completed","payload":[{"contentString":"Hello?"}]}`, "Hello?||"},
		{"not sent yet", `{"resourceType":"Communication","id":"c6","status":"preparation",` + whose + `,"payload":[{"contentString":"Dra"}]}`, "left"},
		{"in error", `{"resourceType":"Communication","id":"c7","status":"entered-in-error",` + whose + `,"payload":[{"contentString":"x"}]}`, "left"},
		{"empty", `{"resourceType":"Communication","id":"c8","status":"completed",` + whose + `,"payload":[{"contentString":"  "}]}`, "left"},
		{"without an identifier", `{"resourceType":"Communication","status":"completed",` + whose + `,"payload":[{"contentString":"x"}]}`, "left"},
		{"that may mean something else", `{"resourceType":"Communication","id":"c9","status":"completed","modifierExtension":[{"url":"x"}],` + whose + `,"payload":[{"contentString":"Stop?"}]}`, "Stop?||Marsh-Adeyemi|doubt"},
	} {
		got, err := Questions([]byte(`{"resourceType":"Bundle","type":"searchset","entry":[{"resource":` + c.resource + `},{"resource":` + c.resource + `}]}`))
		require.NoError(t, err, c.name)
		says := ""
		for _, q := range got.Taken {
			says += strings.Join([]string{q.Text, q.From, q.Subject.Family}, "|")
			if q.Doubt != "" {
				says += "|doubt"
			}
		}
		if len(got.Taken) == 0 && len(got.Left) > 0 {
			says = "left"
		}
		require.Equal(t, c.want, says, c.name)
	}
	_, err := Questions([]byte("<html>"))
	require.Error(t, err)
}
