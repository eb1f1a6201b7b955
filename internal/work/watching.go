package work

import (
	"context"
	"encoding/json"
	"strings"
	"sync"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/core/units"
	"tachyphor/internal/kube"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// Bounds of what is watched for those who ask.
const (
	mostWatched  = 8                // at once; beyond it who asks is asked to come again
	watchedFor   = time.Minute      // after nobody asked any more
	watchedFirst = 10 * time.Second // for the first answer
)

// watching are the parts of clusters that somebody looks at. One is begun when it is asked for, and
// ends a while after nobody asks any more.
type watching struct {
	mu   sync.Mutex
	list map[string]*looked
}

type looked struct {
	watcher *kube.Watcher
	stop    context.CancelFunc
	end     *time.Timer
}

// Watched tells how agents stand in a cluster now: those of a namespace, or of one template there.
// ErrBusy: too many others are watched.
func (q *Queue) Watched(ctx context.Context, cluster, namespace, template string, most int) (wire.Watched, error) {
	key := strings.Join([]string{cluster, namespace, template}, "\x00")
	w, err := q.watcher(key, cluster, namespace, template)
	if err != nil {
		return wire.Watched{}, err
	}
	for began := time.Now(); !w.Synced() && time.Since(began) < watchedFirst; {
		select {
		case <-ctx.Done():
			return wire.Watched{}, ctx.Err()
		case <-time.After(20 * time.Millisecond):
		}
		if w.Now(0).Away != "" {
			break
		}
	}
	return w.Now(most), nil
}

func (q *Queue) watcher(key, cluster, namespace, template string) (*kube.Watcher, error) {
	q.watched.mu.Lock()
	defer q.watched.mu.Unlock()
	if x := q.watched.list[key]; x != nil {
		x.end.Reset(watchedFor)
		return x.watcher, nil
	}
	if len(q.watched.list) >= mostWatched {
		return nil, store.ErrBusy
	}
	o := q.cluster.Options
	if cluster != "" {
		o.Context = cluster
	}
	conn, err := kube.Connect(o)
	if err != nil {
		return nil, Refusal{err}
	}
	ctx, stop := context.WithCancel(q.ctx)
	w, err := conn.Watch(ctx, namespace, template)
	if err != nil {
		stop()
		return nil, Refusal{err}
	}
	if q.watched.list == nil {
		q.watched.list = map[string]*looked{}
	}
	x := &looked{watcher: w, stop: stop}
	x.end = time.AfterFunc(watchedFor, func() {
		q.watched.mu.Lock()
		defer q.watched.mu.Unlock()
		x.stop()
		delete(q.watched.list, key)
	})
	q.watched.list[key] = x
	return w, nil
}

// Usual says what is usual for every hour of the week in a scenario as it is stored now.
func (q *Queue) Usual(ctx context.Context, scenario string) (*outcome.UsualWeek, error) {
	in, faults, err := q.Library.Pin(ctx, scenario)
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return nil, err
	}
	key, err := json.Marshal(in)
	if err != nil {
		return nil, err
	}
	return q.usual.Get(ctx, string(key), func(ctx context.Context) (*outcome.UsualWeek, error) {
		w, faults, err := q.Library.World(ctx, in)
		if err == nil {
			err = faults.Err()
		}
		if err != nil {
			return nil, err
		}
		workers, free, err := q.room.take(func(n int) units.Bytes { return outcome.Need(w, n) }, ctx.Done())
		if err != nil {
			return nil, err
		}
		defer free()
		return outcome.Usual(w, workers, func(float64) bool { return ctx.Err() == nil })
	})
}
