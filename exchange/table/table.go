// Package table writes tables as CSV (RFC 4180) for people who open them in a spreadsheet.
package table

import (
	"bytes"
	"encoding/csv"
	"strings"

	"deftledger/core/result"
)

// Write writes rows, the heading first. What a spreadsheet could read as a formula begins with an apostrophe; numbers stay numbers.
func Write(rows [][]string) ([]byte, error) {
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	w.UseCRLF = true
	for _, row := range rows {
		line := make([]string, len(row))
		for i, cell := range row {
			if cell != "" && strings.ContainsRune("=+-@\t\r", rune(cell[0])) && !result.Number(cell) {
				cell = "'" + cell
			}
			line[i] = cell
		}
		if err := w.Write(line); err != nil {
			return nil, err
		}
	}
	w.Flush()
	return b.Bytes(), w.Error()
}
