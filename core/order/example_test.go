package order_test

import (
	"fmt"

	"deftledger/core/order"
)

func ExampleComplete() {
	fmt.Println(order.Complete("R", []order.Line{{Test: "Ferritin", Diagnoses: []string{"D50.9"}}}))
	err := order.Complete("R", []order.Line{{Test: "Ferritin"}})
	fmt.Println(err != nil)
	// Output:
	// <nil>
	// true
}

func ExampleDoseFault() {
	fmt.Println(order.DoseFault(".5 mg daily"))
	fmt.Println(order.DoseFault("5.0 mg daily"))
	fmt.Println(order.DoseFault("0.5 mg daily") == "")
	// Output:
	// the dose ".5 mg daily" has a point without a zero before it: write 0.5, not .5
	// the dose "5.0 mg daily" ends in a zero behind the point: write 5, not 5.0
	// true
}
