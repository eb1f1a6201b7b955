package store_test

import (
	"context"
	"fmt"
	"testing"

	"tachyphor/internal/store"
)

// What single runs said is kept once, found by many at a time, and the oldest goes.
func TestTried(t *testing.T) {
	ctx := context.Background()
	s, err := store.Open(ctx, server.DSN("tried"), quiet)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = s.Close() }()
	var all []string
	for part := range 3 {
		said := map[string][]byte{}
		for i := range 600 {
			d := fmt.Sprintf("%064d", 1000*part+i)
			said[d] = fmt.Appendf(nil, "run %s", d)
			all = append(all, d)
		}
		if err := s.KeepTried(ctx, said); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.KeepTried(ctx, map[string][]byte{all[0]: []byte("another")}); err != nil {
		t.Fatal(err)
	}
	got, err := s.RecallTried(ctx, append(all, "unknown"))
	if err != nil || len(got) != len(all) || string(got[all[0]]) != "run "+all[0] {
		t.Fatalf("%d of %d are recalled, the first as %q: %v", len(got), len(all), got[all[0]], err)
	}
	if n, err := s.ForgetTried(ctx, 5000); n != 0 || err != nil {
		t.Errorf("%d went of few: %v", n, err)
	}
	if _, err := s.ForgetTried(ctx, 700); err != nil {
		t.Fatal(err)
	}
	if got, err = s.RecallTried(ctx, all); err != nil || len(got) > 700 || len(got) == 0 || got[all[len(all)-1]] == nil || got[all[0]] != nil {
		t.Errorf("%d stay of 700: %v", len(got), err)
	}
	if got, err = s.RecallTried(ctx, nil); err != nil || len(got) != 0 {
		t.Errorf("%d of none: %v", len(got), err)
	}
}
