package letter_test

import (
	"fmt"

	"deftledger/core/letter"
)

// What the chart does not hold stays open, and is found before the letter leaves.
func ExampleForm_Fill() {
	f := letter.Form{Text: "{patient} is seen for {diagnosis}. {?Question}"}
	text := f.Fill(map[string]string{"patient": "Runa Ödegard"})
	fmt.Println(text)
	fmt.Println(letter.Open(text))
	// Output:
	// Runa Ödegard is seen for {diagnosis}. {?Question}
	// [{diagnosis} {?Question}]
}
