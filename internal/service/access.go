package service

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"time"

	"tachyphor/internal/api"
	"tachyphor/internal/work"
	"tachyphor/wire"
)

// credentials sees to it that the state folder holds a token that lets in: the one there, or a new one in
// place of all that it held before. The database keeps hashes; the token itself goes to its owner's file
// alone.
func (s *Service) credentials(ctx context.Context) error {
	place, err := s.place()
	if err != nil {
		return err
	}
	if old, err := wire.ReadAccess(s.config.State); err == nil && old.Token != "" {
		holds, err := api.HoldsLocal(ctx, s.store, old.Token)
		if err != nil {
			return err
		}
		if holds {
			s.Access.Token = old.Token
		}
	}
	if s.Access.Token == "" {
		if s.Access.Token, err = api.NewLocal(ctx, s.store, place); err != nil {
			return err
		}
	}
	return s.writeAccess()
}

// writeAccess writes the owner's file.
func (s *Service) writeAccess() error {
	b, err := json.MarshalIndent(s.Access, "", "  ")
	if err != nil {
		return err
	}
	path := wire.AccessFile(s.config.State)
	if err := os.WriteFile(path+".new", append(b, '\n'), 0o600); err != nil {
		return err
	}
	return os.Rename(path+".new", path)
}

// place names the state folder among those whose services share a database.
func (s *Service) place() (string, error) {
	path := filepath.Join(s.config.State, "place")
	if b, err := os.ReadFile(path); err == nil && len(strings.TrimSpace(string(b))) == 32 {
		return strings.TrimSpace(string(b)), nil
	}
	b := make([]byte, 16)
	_, _ = rand.Read(b)
	return hex.EncodeToString(b), os.WriteFile(path, []byte(hex.EncodeToString(b)+"\n"), 0o600)
}

// Link makes a link that signs the owner into the console once.
func (s *Service) Link(ctx context.Context) (string, error) {
	token, err := api.NewLink(ctx, s.store)
	return s.Access.Address + api.LinkPath(token), err
}

// tidyEvery is how often what has expired is cleared away.
const tidyEvery = time.Hour

// retire takes what is older than it is kept.
func (s *Service) retire(ctx context.Context) {
	went, err := s.store.Retire(ctx, *s.config.Retention, work.Names(&work.Preflight, &work.Rehearsal))
	if err != nil && ctx.Err() == nil {
		s.config.Log.Warn("cannot take away what is older than it is kept", "error", err)
	}
	for kind, n := range went {
		if n > 0 {
			s.config.Log.Info("older than it is kept, taken away", "what", kind, "count", n)
		}
	}
}

// tidy clears away what has expired, until ctx ends.
func (s *Service) tidy(ctx context.Context) {
	tick := time.NewTicker(tidyEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := s.store.DropExpired(ctx, s.config.Sessions.Idle); err != nil && ctx.Err() == nil {
				s.config.Log.Warn("cannot clear what has expired", "error", err)
			}
			s.retire(ctx)
		}
	}
}
