package safety_test

import (
	"fmt"

	"github.com/goccy/go-yaml"

	"deftledger/core/safety"
)

func ExampleList_Check() {
	var list safety.List
	err := yaml.Unmarshal([]byte(`
version: 1
source: made up for this example
medicines:
  - {class: [penicillin], names: [amoxicillin]}
allergies:
  - {word: penicillin, class: penicillin}
`), &list)
	fmt.Println(err)
	for _, w := range list.Check("Amoxicillin", nil, map[string]string{"Penicillin": "rash"}) {
		fmt.Printf("%v, %s: %s\n", w.Serious, w.Says, w.Why)
	}
	// Output:
	// <nil>
	// true, Recorded allergy: Penicillin: rash; amoxicillin is of the class penicillin
}
