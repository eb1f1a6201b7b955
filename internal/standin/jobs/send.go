package jobs

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"strconv"
	"strings"
	"time"
)

// A Protocol is how a sender tells what happens.
type Protocol string

// The protocols.
const (
	AsEvents Protocol = "events" // CDEvents in a batch of CloudEvents
	AsSpans  Protocol = "spans"  // OpenTelemetry's traces
)

// Sending says how what happens is told.
type Sending struct {
	Address, Token string
	As             Protocol
	Speed          float64 // so many times as fast as it happened; 0: as fast as it is taken
	Rate           float64 // at most this many steps a second; 0: no limit
	Twice, Late    float64 // share of what is sent again, and of what comes later than it should; 0 to 1
	Tell           func(Sent)
}

// Sent counts what was told.
type Sent struct {
	Steps, All int // of what happened, and of all of it
	Messages   int // events or spans, those included that were sent again on purpose
	Again      int // requests that had to be sent again
}

// together is how much is told in one request at most.
const together = 500

// beat is how long steps are gathered before they are told.
const beat = 20 * time.Millisecond

// Send tells what happens until all is told, again and again where that fails, as long as ctx
// lasts.
func Send(ctx context.Context, list []Happening, s Sending) (Sent, error) {
	out := Sent{All: len(list)}
	if len(list) == 0 {
		return out, nil
	}
	draw := rand.New(rand.NewPCG(7, 11))
	began, first := time.Now(), list[0].At
	var late []Happening
	for n := 0; n < len(list) || len(late) > 0; {
		due := len(list)
		if s.Speed > 0 {
			now := first.Add(time.Duration(float64(time.Since(began)) * s.Speed))
			for due = n; due < len(list) && !list[due].At.After(now); {
				due++
			}
		}
		if s.Rate > 0 {
			due = min(due, int(time.Since(began).Seconds()*s.Rate))
		}
		due = min(due, n+together)
		var some []Happening
		for _, h := range list[n:max(n, due)] {
			if draw.Float64() < s.Late {
				late = append(late, h)
				continue
			}
			if some = append(some, h); draw.Float64() < s.Twice {
				some = append(some, h)
			}
		}
		n = max(n, due)
		if n == len(list) || len(late) > together {
			some, late = append(some, late...), nil
		}
		if len(some) > 0 {
			sent, again, err := s.tell(ctx, some)
			out.Steps, out.Messages, out.Again = n-len(late), out.Messages+sent, out.Again+again
			if err != nil {
				return out, err
			}
			if s.Tell != nil {
				s.Tell(out)
			}
		}
		if n < len(list) && (s.Speed > 0 || s.Rate > 0) {
			select {
			case <-time.After(beat):
			case <-ctx.Done():
				return out, ctx.Err()
			}
		}
	}
	return out, nil
}

// tell sends steps in one request, until it is acknowledged or refused for good.
func (s *Sending) tell(ctx context.Context, list []Happening) (sent, again int, err error) {
	write := cloudEvents
	if s.As == AsSpans {
		write = spans
	}
	m, err := write(list)
	if err != nil || m == nil {
		return 0, 0, err
	}
	for wait := 200 * time.Millisecond; ; wait = min(2*wait, 10*time.Second) {
		after, err := s.post(ctx, m)
		if err == nil {
			return m.n, again, nil
		}
		if refused := (*Refused)(nil); errors.As(err, &refused) || ctx.Err() != nil {
			return 0, again, err
		}
		again++
		select {
		case <-time.After(max(wait, after)):
		case <-ctx.Done():
			return 0, again, ctx.Err()
		}
	}
}

// Refused is an answer that sending again does not mend.
type Refused struct {
	Status int
	Why    string
}

func (r *Refused) Error() string {
	return fmt.Sprintf("the service refuses what is told (status %d): %s", r.Status, r.Why)
}

// post sends a request once; after says how long to wait where the answer does.
func (s *Sending) post(ctx context.Context, m *message) (after time.Duration, err error) {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, strings.TrimSuffix(s.Address, "/")+m.path, m.reader())
	if err != nil {
		return 0, err
	}
	req.Header = m.head.Clone()
	req.Header.Set("Authorization", "Bearer "+s.Token)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return 0, err
	}
	defer func() { _ = resp.Body.Close() }()
	said, _ := io.ReadAll(io.LimitReader(resp.Body, 4096))
	switch {
	case resp.StatusCode < 300:
		return 0, nil
	case resp.StatusCode == http.StatusTooManyRequests, resp.StatusCode >= 500:
		n, _ := strconv.Atoi(resp.Header.Get("Retry-After"))
		return time.Duration(n) * time.Second, fmt.Errorf("status %d: %s", resp.StatusCode, said)
	}
	return 0, &Refused{resp.StatusCode, strings.TrimSpace(string(said[:min(len(said), 300)]))}
}
