package result_test

import (
	"fmt"

	"deftledger/core/result"
)

// The laboratory says normal, its own range says high: both are shown. Nobody judged a text.
func ExampleStand() {
	high := result.Stand(result.Value{Text: "6.1", Unit: "mmol/L", Range: "3.5-5.1", Flag: "N"})
	text := result.Stand(result.Value{Text: "see comment", Range: "3.5-5.1"})
	fmt.Println(high.Side, high.Disagree)
	fmt.Println(text.Side, text.Disagree)
	// Output:
	// above true
	// not judged false
}

func ExampleClosing() {
	fmt.Println(result.Closing("F", false, "telephone", "", false) == nil)
	fmt.Println(result.Closing("P", false, "telephone", "", false) == nil)
	fmt.Println(result.Closing("F", false, "portal", "", false) == nil)
	// Output:
	// true
	// false
	// false
}
