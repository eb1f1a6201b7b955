package service

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"tachyphor/internal/tell"
)

// leastKey is how few letters a key may have.
const leastKey = 32

// tells begins to send events to addresses that are told. Addresses of this machine may be told where
// the service listens on it alone.
func (s *Service) tells(loopback bool) error {
	for _, a := range s.config.TellAllow {
		if _, err := tell.Origin(a); err != nil {
			return fmt.Errorf("--tell-allow: %w", err)
		}
	}
	key, err := s.tellKey()
	if err != nil {
		return err
	}
	s.teller = &tell.Teller{Notices: s.store, Key: []byte(key), Allowed: s.config.TellAllow, Loopback: loopback, Log: s.config.Log}
	s.teller.Start()
	return nil
}

// tellKey reads the key that events are signed with, and makes one where none was named.
func (s *Service) tellKey() (string, error) {
	path := s.config.TellKey
	if path == "" {
		path = filepath.Join(s.config.State, "tell.key")
	}
	b, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) && s.config.TellKey == "" {
		raw := make([]byte, 32)
		_, _ = rand.Read(raw) // never fails
		key := hex.EncodeToString(raw)
		return key, os.WriteFile(path, []byte(key+"\n"), 0o600)
	}
	if err != nil {
		return "", fmt.Errorf("cannot read the key that events are signed with: %w", err)
	}
	key := strings.TrimSpace(string(b))
	if len(key) < leastKey {
		return "", fmt.Errorf("%s: the key that events are signed with has %d letters; it needs %d at least", path, len(key), leastKey)
	}
	return key, nil
}
