package fhir

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strings"
	"time"
)

// inAddress is the form of what may stand in an address of ours: that of an identifier in
// FHIR R4, which is no path of its own.
var inAddress = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9.-]{0,63}$`)

// Hand gives something to another party under its identifier; refused is why it will
// never be taken.
func Hand(ctx context.Context, party, base, path, id, kind string, body []byte, more http.Header) (refused string, err error) {
	if base == "" {
		return "", fmt.Errorf("no %s is connected", party)
	}
	if !inAddress.MatchString(id) || strings.Contains(id, "..") {
		return "its identifier cannot stand in an address, send it anew", nil
	}
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPut, strings.TrimSuffix(base, "/")+path+id, bytes.NewReader(body))
	if err != nil {
		return "", err
	}
	for k, v := range more {
		req.Header[k] = v
	}
	req.Header.Set("Content-Type", kind)
	res, err := Client.Do(req)
	if err != nil {
		return "", err
	}
	defer res.Body.Close()
	text, _ := io.ReadAll(io.LimitReader(res.Body, 2000))
	switch {
	case res.StatusCode < 300:
		return "", nil
	case res.StatusCode < 500 && res.StatusCode != http.StatusRequestTimeout && res.StatusCode != http.StatusTooManyRequests:
		if words := Refused(text); words != "" {
			return words, nil
		}
		if s := strings.TrimSpace(string(text)); s != "" {
			return s, nil
		}
		return fmt.Sprintf("the %s answered %d", party, res.StatusCode), nil
	}
	return "", fmt.Errorf("the %s answered %d", party, res.StatusCode)
}
