package result_test

import (
	"fmt"

	"deftledger/core/result"
)

// A late preliminary never stands in the place of what is final; a correction does.
func ExampleSupersedes() {
	fmt.Println(result.Supersedes("F", "P"), result.Supersedes("F", "C"))
	// Output: false true
}

// The laboratory says normal, its own range says high: both are shown.
func ExampleDisagree() {
	fmt.Println(result.Disagree(result.Value{Text: "6.1", Unit: "mmol/L", Range: "3.5-5.1", Flag: "N"}))
	fmt.Println(result.Disagree(result.Value{Text: "see comment", Range: "3.5-5.1", Flag: "N"}))
	// Output:
	// true
	// false
}

func ExampleClosing() {
	fmt.Println(result.Closing("F", "telephone", "", false) == nil)
	fmt.Println(result.Closing("P", "telephone", "", false) == nil)
	fmt.Println(result.Closing("F", "portal", "", false) == nil)
	// Output:
	// true
	// false
	// false
}
