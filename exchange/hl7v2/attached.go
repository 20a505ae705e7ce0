package hl7v2

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"strings"

	"deftledger/core/result"
)

// Attached finds a file within a message by its SHA-256. What it returns has been held against it.
func Attached(raw []byte, sum string) ([]byte, bool) {
	m, err := Parse(raw)
	if err != nil {
		return nil, false
	}
	for _, s := range m.Segments {
		if s.Name != "OBX" || !strings.EqualFold(s.Get(2, 1), "ED") {
			continue
		}
		for _, rep := range s.Repeats(5) {
			if file, data := fileIn(rep); file.Sum == sum && sum != "" {
				return data, true
			}
		}
	}
	return nil, false
}

// fileIn reads encapsulated data (ED; HL7 v2.5.1, 2.A.24): what it is by its first bytes, and the bytes.
func fileIn(rep []string) (result.File, []byte) {
	text := strings.Join(strings.Fields(component(rep, 5)), "")
	var data []byte
	var err error
	wrong := ""
	switch encoding := strings.ToLower(component(rep, 4)); encoding {
	case "base64":
		wrong = "it is not base64"
		if data, err = base64.StdEncoding.DecodeString(text); err != nil {
			data, err = base64.RawStdEncoding.DecodeString(text)
		}
	case "hex":
		wrong = "it is not hexadecimal"
		data, err = hex.DecodeString(text)
	case "a", "":
		data = []byte(component(rep, 5))
	default:
		return result.File{Wrong: "its encoding is not known: " + component(rep, 4)}, nil
	}
	switch {
	case err != nil:
		return result.File{Wrong: wrong}, nil
	case len(data) == 0:
		return result.File{Wrong: "it is empty"}, nil
	}
	sum := sha256.Sum256(data)
	f := result.File{Type: typeOf(data), Size: len(data), Sum: hex.EncodeToString(sum[:])}
	if said := saidType(component(rep, 2), component(rep, 3)); said != "" && said != f.Type {
		f.Said = said
	}
	return f, data
}

// typeOf is what a file is, of the kinds the screen shows.
func typeOf(data []byte) string {
	for _, k := range []struct{ begins, is string }{{"%PDF-", "application/pdf"}, {"\x89PNG\r\n\x1a\n", "image/png"}, {"\xff\xd8\xff", "image/jpeg"}} {
		if bytes.HasPrefix(data, []byte(k.begins)) {
			return k.is
		}
	}
	return "application/octet-stream"
}

// saidType is what the sender says it is (HL7 tables 0191 and 0291), where that is one of those.
func saidType(kind, sub string) string {
	switch strings.ToLower(sub) {
	case "pdf":
		return "application/pdf"
	case "png":
		return "image/png"
	case "jpeg", "jpg":
		return "image/jpeg"
	case "":
		return ""
	}
	if strings.Contains(sub, "/") {
		return strings.ToLower(sub)
	}
	return strings.ToLower(strings.TrimPrefix(kind+"/"+sub, "/"))
}
