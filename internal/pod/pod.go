// Package pod is what a pod does that computes shards: it asks a service for its group, runs it,
// and answers.
package pod

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/shelf"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/wire"
)

// A Pod is told by its environment whom it asks for what.
type Pod struct {
	Address, Token, Group string
	Log                   io.Writer
	Patience              time.Duration // with a service that does not answer; 0: patience
}

// How long a service is waited for, and how much it may say.
const (
	patience = 2 * time.Minute
	oneCall  = 5 * time.Minute
	mostSaid = 2 << 30
	// tellEvery is how often a pod says what is done.
	tellEvery = 5 * time.Second
)

// ErrRefused says that another try would come to the same.
var ErrRefused = errors.New("refused")

// errOver says that nobody asks any more.
var errOver = errors.New("the shards are no longer wanted")

// Work computes a group and answers it. A group that nobody asks for any more is as good as done.
func (p *Pod) Work(ctx context.Context) error {
	if p.Address == "" || p.Token == "" || p.Group == "" {
		return fmt.Errorf("%w: this is run by pods of a Job that the service makes (sweep --on), and is told by it whom to ask", ErrRefused)
	}
	err := p.work(ctx)
	if errors.Is(err, errOver) {
		fmt.Fprintln(p.Log, err)
		return nil
	}
	return err
}

func (p *Pod) work(ctx context.Context) error {
	var asked wire.ShardsQuestion
	if err := p.get(ctx, wire.ShardsQuestionPath, into(&asked)); err != nil {
		return err
	}
	var group wire.ShardGroup
	if err := p.get(ctx, wire.ShardsGroupPath+p.Group, into(&group)); err != nil {
		return err
	}
	if len(asked.Inputs) == 0 {
		return fmt.Errorf("%w: nothing was sent that variants are run with", ErrRefused)
	}
	ins := make([]world.Input, len(asked.Inputs))
	for i, x := range asked.Inputs {
		var err error
		if ins[i], err = p.input(ctx, i, x); err != nil {
			return err
		}
	}
	shards, err := explore.AskShards(asked.Aims, ins...)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrRefused, err)
	}
	began, told := time.Now(), time.Now()
	var out []wire.ShardAnswer
	// One at a time: a pod asks for one core, and for the memory of one run. What is done is said
	// now and then, so that of a pod that is lost little is.
	for i, s := range group.Shards {
		runs, err := shards.Run(s.Shard, func(units.Duration) bool { return ctx.Err() == nil })
		if errors.Is(err, explore.ErrOtherRuns) {
			err = fmt.Errorf("%w: %w", ErrRefused, err)
		}
		if err != nil {
			return err
		}
		out = append(out, wire.ShardAnswer{Number: s.Number, Runs: runs})
		if i < len(group.Shards)-1 && time.Since(told) < tellEvery {
			continue
		}
		if err := p.answer(ctx, out); err != nil {
			return err
		}
		out, told = nil, time.Now()
	}
	fmt.Fprintf(p.Log, "group %s: %d shards in %s\n", p.Group, len(group.Shards), units.Duration(time.Since(began)).Short())
	return nil
}

// answer says what shards' runs said.
func (p *Pod) answer(ctx context.Context, list []wire.ShardAnswer) error {
	body, err := json.Marshal(list)
	if err != nil {
		return err
	}
	return p.call(ctx, http.MethodPost, wire.ShardsGroupPath+p.Group, body, func(io.Reader) error { return nil })
}

// input puts together what variants are run with.
func (p *Pod) input(ctx context.Context, n int, asked wire.ShardsInput) (in world.Input, err error) {
	var all shelf.Shelf
	for i, text := range asked.Documents {
		docs, faults := document.Parse(fmt.Sprintf("document %d", i+1), []byte(text))
		if err := faults.Err(); err != nil {
			return in, fmt.Errorf("%w: %w", ErrRefused, err)
		}
		for _, d := range docs {
			all.Put(d)
		}
	}
	if len(all.OfKind(document.KindScenario)) != 1 {
		return in, fmt.Errorf("%w: no scenario was sent", ErrRefused)
	}
	named, faults := all.Whole()
	if err := faults.Err(); err != nil {
		return in, fmt.Errorf("%w: %w", ErrRefused, err)
	}
	in.Named = named
	if asked.Recorded {
		err = p.get(ctx, wire.ShardsJobsPath+strconv.Itoa(n), func(r io.Reader) (err error) {
			in.Recording, err = demand.Read(r, asked.Columns)
			return err
		})
	}
	return in, err
}

func into(v any) func(io.Reader) error {
	return func(r io.Reader) error { return json.NewDecoder(r).Decode(v) }
}

func (p *Pod) get(ctx context.Context, path string, read func(io.Reader) error) error {
	return p.call(ctx, http.MethodGet, path, nil, read)
}

// call asks the service, again where it does not answer.
func (p *Pod) call(ctx context.Context, method, path string, body []byte, read func(io.Reader) error) error {
	long := p.Patience
	if long == 0 {
		long = patience
	}
	until := time.Now().Add(long)
	for wait := 200 * time.Millisecond; ; wait = min(2*wait, 10*time.Second) {
		again, err := p.once(ctx, method, path, body, read)
		if err == nil || !again {
			return err
		}
		if ctx.Err() != nil || time.Now().Add(wait).After(until) {
			return fmt.Errorf("the service at %s: %w", p.Address, err)
		}
		fmt.Fprintln(p.Log, err)
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(wait):
		}
	}
}

// once asks the service once; again says that it may be asked once more.
func (p *Pod) once(ctx context.Context, method, path string, body []byte, read func(io.Reader) error) (again bool, err error) {
	ctx, done := context.WithTimeout(ctx, oneCall)
	defer done()
	q, err := http.NewRequestWithContext(ctx, method, strings.TrimRight(p.Address, "/")+path, bytes.NewReader(body))
	if err != nil {
		return false, fmt.Errorf("%w: %w", ErrRefused, err)
	}
	q.Header.Set("Authorization", "Bearer "+p.Token)
	a, err := http.DefaultClient.Do(q)
	if err != nil {
		return true, err
	}
	defer func() { _ = a.Body.Close() }()
	switch {
	case a.StatusCode == http.StatusUnauthorized, a.StatusCode == http.StatusGone:
		return false, errOver
	case a.StatusCode/100 == 2:
		return true, read(io.LimitReader(a.Body, mostSaid))
	}
	var said wire.Problem
	_ = json.NewDecoder(io.LimitReader(a.Body, 1<<20)).Decode(&said) // what is no problem document has no detail
	err = fmt.Errorf("%s %s: %s %s", method, path, a.Status, said.Detail)
	if a.StatusCode/100 == 4 && a.StatusCode != http.StatusTooManyRequests {
		return false, fmt.Errorf("%w: %w", ErrRefused, err)
	}
	return true, err
}
