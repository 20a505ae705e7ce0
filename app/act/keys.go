package act

import (
	"bufio"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"deftledger/core/ledger"
	"deftledger/store"
)

// Keys is the sealing key of a practice and the witness of its ledger, kept
// outside the data directory: who can write the data cannot forge or cut the
// chain unnoticed.
type Keys struct {
	dir     string
	private ed25519.PrivateKey
	Public  ed25519.PublicKey
	mu      sync.Mutex
	trail   int64 // newest link of the trail that was witnessed
}

// KeyHome is where keys live unless told otherwise: DEFTLEDGER_KEYS, else
// deftledger/keys in the user's configuration directory.
func KeyHome() (string, error) {
	if d := os.Getenv("DEFTLEDGER_KEYS"); d != "" {
		return d, nil
	}
	c, err := os.UserConfigDir()
	if err != nil {
		return "", fmt.Errorf("there is no place for the sealing key; set DEFTLEDGER_KEYS to a directory outside the data: %w", err)
	}
	return filepath.Join(c, "deftledger", "keys"), nil
}

// OpenKeys reads the keys of a practice; with create it makes them when there are none.
func OpenKeys(home, practice string, create bool) (*Keys, error) {
	if practice == "" || strings.ContainsAny(practice, `/\.`) {
		return nil, fmt.Errorf("%q is not the identifier of a practice", practice)
	}
	k := &Keys{dir: filepath.Join(home, practice)}
	path := filepath.Join(k.dir, "sealing.key")
	text, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) && create {
		_, private, err := ed25519.GenerateKey(nil)
		if err != nil {
			return nil, err
		}
		if err := os.MkdirAll(k.dir, 0o700); err != nil {
			return nil, fmt.Errorf("the sealing key cannot be kept: %w", err)
		}
		text = []byte(base64.StdEncoding.EncodeToString(private.Seed()))
		if err := writeDurably(path, text, os.O_CREATE|os.O_EXCL|os.O_WRONLY); err != nil {
			return nil, fmt.Errorf("the sealing key cannot be kept: %w", err)
		}
	} else if err != nil {
		return nil, fmt.Errorf("the sealing key of this practice is not at %s (set DEFTLEDGER_KEYS to where it is kept): %w", path, err)
	}
	seed, err := base64.StdEncoding.DecodeString(strings.TrimSpace(string(text)))
	if err != nil || len(seed) != ed25519.SeedSize {
		return nil, fmt.Errorf("the sealing key at %s is damaged; restore it from where you keep a copy", path)
	}
	k.private = ed25519.NewKeyFromSeed(seed)
	k.Public = k.private.Public().(ed25519.PublicKey)
	return k, nil
}

func writeDurably(path string, text []byte, flag int) error {
	f, err := os.OpenFile(path, flag, 0o600)
	if err != nil {
		return err
	}
	defer f.Close()
	if _, err := f.Write(text); err != nil {
		return err
	}
	return f.Sync()
}

func (k *Keys) witnessPath() string { return filepath.Join(k.dir, "witness.jsonl") }

// Seal completes an entry with the practice's key; inChart and last are the entries
// before it, nil for the first ones.
func (k *Keys) Seal(e ledger.Entry, inChart, last *ledger.Entry) ledger.Entry {
	return ledger.Seal(e, inChart, last, k.private)
}

// Witness notes heads of the ledger, durably.
func (k *Keys) Witness(heads ...ledger.Head) error {
	// The leading line end parts it from a line that a crash cut short.
	text := []byte{'\n'}
	for _, h := range heads {
		line, err := json.Marshal(h)
		if err != nil {
			return err
		}
		text = append(append(text, line...), '\n')
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	return writeDurably(k.witnessPath(), text, os.O_CREATE|os.O_APPEND|os.O_WRONLY)
}

// WitnessTrail notes the head of the trail of acts, durably, in the same file.
func (k *Keys) WitnessTrail(h store.TrailHead) error {
	line, err := json.Marshal(h)
	if err != nil {
		return err
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if h.Seq <= k.trail {
		return nil
	}
	if err := writeDurably(k.witnessPath(), append(append([]byte{'\n'}, line...), '\n'), os.O_CREATE|os.O_APPEND|os.O_WRONLY); err != nil {
		return err
	}
	k.trail = h.Seq
	return nil
}

// TrailHeads are the witnessed heads of the trail of one copy of the data, by their number.
func (k *Keys) TrailHeads(of string) (map[int64]string, error) {
	file, err := os.Open(k.witnessPath())
	if errors.Is(err, os.ErrNotExist) {
		return map[int64]string{}, nil
	}
	if err != nil {
		return nil, err
	}
	defer file.Close()
	out := map[int64]string{}
	lines := bufio.NewReaderSize(file, 1<<16)
	for {
		line, err := lines.ReadBytes('\n')
		var h store.TrailHead
		if json.Unmarshal(line, &h) == nil && h.Seq > 0 && h.Of == of {
			out[h.Seq] = h.Hash
		}
		if errors.Is(err, io.EOF) {
			return out, nil
		}
		if err != nil {
			return nil, err
		}
	}
}

// Restored makes a chain that was restored from an older backup the one that is
// witnessed from now on; what was witnessed after it is kept aside, not deleted.
func (k *Keys) Restored(at string) error {
	k.mu.Lock()
	defer k.mu.Unlock()
	err := os.Rename(k.witnessPath(), k.witnessPath()+".before-restore-"+strings.NewReplacer(":", "", "-", "").Replace(at))
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	return err
}

// EachHead gives the witnessed heads in the order in which they were noted, until do
// returns an error. A line that a crash cut short is passed over.
func (k *Keys) EachHead(do func(ledger.Head) error) error {
	file, err := os.Open(k.witnessPath())
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	defer file.Close()
	return eachHead(file, do)
}

func eachHead(from io.Reader, do func(ledger.Head) error) error {
	lines := bufio.NewReaderSize(from, 1<<16)
	for {
		line, err := lines.ReadBytes('\n')
		var h ledger.Head
		if json.Unmarshal(line, &h) == nil && h.Seq > 0 {
			if err := do(h); err != nil {
				return err
			}
		}
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

// witnessTail is how much of the end of the witness is read for its newest head. Heads
// are noted in the order of their commits but for a few that overtake each other.
const witnessTail = 64 << 10

// LastHead returns the newest witnessed head without reading the whole witness; the zero
// head when nothing was witnessed.
func (k *Keys) LastHead() (ledger.Head, error) {
	file, err := os.Open(k.witnessPath())
	if errors.Is(err, os.ErrNotExist) {
		return ledger.Head{}, nil
	}
	if err != nil {
		return ledger.Head{}, err
	}
	defer file.Close()
	size, err := file.Seek(0, io.SeekEnd)
	if err == nil {
		_, err = file.Seek(max(0, size-witnessTail), io.SeekStart)
	}
	var last ledger.Head
	if err == nil {
		err = eachHead(file, func(h ledger.Head) error {
			if h.Seq > last.Seq {
				last = h
			}
			return nil
		})
	}
	return last, err
}
