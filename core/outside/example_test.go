package outside_test

import (
	"fmt"

	"deftledger/core/chart"
	"deftledger/core/outside"
)

// Only what agrees in everything is filed by itself; what was left out does not agree.
func ExampleDifferences() {
	runa := chart.Patient{Name: chart.Name{Family: "Ödegard", Given: "Runa"}, BirthDate: "2019-05-02", Sex: "F"}
	fmt.Println(outside.Differences(runa, outside.Identity{Family: "ODEGARD", Given: "Runa", BirthDate: "2019-05-02", Sex: "F"}, "SKERROW"))
	fmt.Println(outside.Differences(runa, outside.Identity{Family: "Odegard", Given: "Runa", BirthDate: "2019-02-05"}, "SKERROW"))
	// Output:
	// []
	// [birth date sex]
}
