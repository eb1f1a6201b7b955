package probe

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/minio/minio-go/v7"
	"github.com/minio/minio-go/v7/pkg/credentials"
)

// A Store is a bucket of a store that speaks the S3 protocol.
type Store struct {
	client *minio.Client
	bucket string
	// Where is its address without secrets.
	Where string
}

// Transfers is what a store did.
type Transfers struct {
	Where   string  `json:"where" doc:"Address of the store and its bucket."`
	Bytes   int64   `json:"bytes" doc:"Bytes of each object that was carried."`
	Latency float64 `json:"latencySeconds" doc:"Shortest time of an answer without content."`
	Up      float64 `json:"up" doc:"One object sent: bytes a second."`
	Down    float64 `json:"down" doc:"One object brought: bytes a second."`
	Flows   int     `json:"flows" doc:"Objects carried at the same time."`
	UpAll   float64 `json:"upAll" doc:"So many sent at once: bytes a second together."`
	DownAll float64 `json:"downAll" doc:"So many brought at once: bytes a second together."`
}

// OpenStore reads the address of a store, as in http://127.0.0.1:9000/bucket.
func OpenStore(address, access, secret string) (*Store, error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, fmt.Errorf("%q is not the address of a store; write it like http://127.0.0.1:9000/bucket", address)
	}
	bucket := strings.Trim(u.Path, "/")
	if bucket == "" || strings.Contains(bucket, "/") {
		return nil, fmt.Errorf("%q names no bucket; write it like http://127.0.0.1:9000/bucket", address)
	}
	transport := &http.Transport{MaxIdleConnsPerHost: 16, DisableCompression: true, ResponseHeaderTimeout: 5 * time.Minute}
	c, err := minio.New(u.Host, &minio.Options{
		Creds: credentials.NewStaticV4(access, secret, ""), Secure: u.Scheme == "https", Transport: transport,
		BucketLookup: minio.BucketLookupPath, Region: "us-east-1",
	})
	if err != nil {
		return nil, err
	}
	return &Store{client: c, bucket: bucket, Where: u.Scheme + "://" + u.Host + "/" + bucket}, nil
}

// noise gives bytes that nothing on the way can compress.
type noise struct {
	block []byte
	at    int64
	size  int64
	tell  func(int64)
	ctx   context.Context
}

// Read gives the next bytes.
func (n *noise) Read(b []byte) (int, error) {
	if n.at >= n.size {
		return 0, io.EOF
	}
	if err := n.ctx.Err(); err != nil {
		return 0, err
	}
	from := int(n.at % int64(len(n.block)))
	k := copy(b[:min(int64(len(b)), n.size-n.at)], n.block[from:])
	n.at += int64(k)
	n.tell(int64(k))
	return k, nil
}

// tidyTime is how long taking away what was sent may take, also after a cancel.
const tidyTime = 30 * time.Second

// measure times carrying objects to the store and back. However it ends, nothing of it
// is left in the store.
func (s *Store) measure(ctx context.Context, o Options, tell func(float64)) (out *Transfers, err error) {
	if ok, err := s.client.BucketExists(ctx, s.bucket); err != nil {
		return nil, fmt.Errorf("cannot reach %s: %w", s.Where, plainly(err))
	} else if !ok {
		return nil, fmt.Errorf("%s: there is no such bucket", s.Where)
	}
	id := make([]byte, 8)
	_, _ = rand.Read(id)
	prefix := "tachyphor-probe-" + hex.EncodeToString(id) + "/"
	defer func() {
		clean, cancel := context.WithTimeout(context.WithoutCancel(ctx), tidyTime)
		defer cancel()
		if terr := s.tidy(clean, prefix); terr != nil && err == nil {
			err = fmt.Errorf("what was sent to %s could not be removed again (%s*): %w", s.Where, prefix, plainly(terr))
		}
	}()
	flows := max(o.Flows, 1)
	out = &Transfers{Where: s.Where, Bytes: o.Ship, Flows: flows}
	if out.Latency, err = s.latency(ctx, prefix); err != nil {
		return nil, err
	}
	var done atomic.Int64
	total := float64(2*o.Ship) * float64(1+flows)
	add := func(n int64) { tell(min(float64(done.Add(n))/total, 1)) }
	block := make([]byte, 1<<20)
	_, _ = rand.Read(block)
	send := func(name string, _ *window) error {
		body := &noise{block: block, size: o.Ship, tell: add, ctx: ctx}
		_, err := s.client.PutObject(ctx, s.bucket, prefix+name, body, o.Ship,
			minio.PutObjectOptions{DisableMultipart: true, DisableContentSha256: true, ContentType: "application/octet-stream"})
		return err
	}
	bring := func(name string, w *window) error {
		r, err := s.client.GetObject(ctx, s.bucket, prefix+name, minio.GetObjectOptions{})
		if err != nil {
			return err
		}
		defer func() { _ = r.Close() }()
		n, err := io.CopyBuffer(told{func(n int64) { w.saw(n); add(n) }}, r, make([]byte, 256<<10))
		if err == nil && n != o.Ship {
			return fmt.Errorf("%d bytes came back of %d", n, o.Ship)
		}
		return err
	}
	rate := func(n int, do func(string, *window) error) (float64, error) {
		began := time.Now()
		var w window
		var wait sync.WaitGroup
		errs := make([]error, n)
		for i := range n {
			wait.Go(func() { errs[i] = do(fmt.Sprint("object-", i), &w) })
		}
		wait.Wait()
		if bytes, seconds := w.between(); bytes > 0 { // brought: from the first bytes on
			return bytes / max(seconds, 1e-6), errors.Join(errs...)
		}
		return float64(n) * float64(o.Ship) / max(time.Since(began).Seconds()-out.Latency, 1e-6), errors.Join(errs...)
	}
	for _, step := range []struct {
		n  int
		do func(string, *window) error
		to *float64
	}{{1, send, &out.Up}, {1, bring, &out.Down}, {flows, send, &out.UpAll}, {flows, bring, &out.DownAll}} {
		if *step.to, err = rate(step.n, step.do); err != nil {
			if ctx.Err() != nil {
				return nil, ctx.Err()
			}
			return nil, fmt.Errorf("carrying to or from %s: %w", s.Where, plainly(err))
		}
	}
	return out, nil
}

// window is when bytes came: what came with the first of them does not count, for it is
// not known how long it was on its way.
type window struct {
	mu          sync.Mutex
	first, last time.Time
	bytes       int64
}

func (w *window) saw(n int64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.last = time.Now()
	if w.first.IsZero() {
		w.first = w.last
		return
	}
	w.bytes += n
}

func (w *window) between() (bytes, seconds float64) {
	return float64(w.bytes), w.last.Sub(w.first).Seconds()
}

// latency is the shortest of a few answers without content.
func (s *Store) latency(ctx context.Context, prefix string) (float64, error) {
	var all []float64
	for range 5 {
		began := time.Now()
		_, err := s.client.StatObject(ctx, s.bucket, prefix+"none", minio.StatObjectOptions{})
		if err != nil && minio.ToErrorResponse(err).StatusCode != http.StatusNotFound {
			return 0, fmt.Errorf("cannot ask %s: %w", s.Where, plainly(err))
		}
		all = append(all, time.Since(began).Seconds())
	}
	return slices.Min(all), nil
}

// told is a writer that only counts.
type told struct{ tell func(int64) }

// Write counts.
func (t told) Write(b []byte) (int, error) {
	t.tell(int64(len(b)))
	return len(b), nil
}

// tidy takes away everything below a prefix.
func (s *Store) tidy(ctx context.Context, prefix string) error {
	var errs []error
	for x := range s.client.ListIncompleteUploads(ctx, s.bucket, prefix, true) {
		if x.Err == nil {
			errs = append(errs, s.client.RemoveIncompleteUpload(ctx, s.bucket, x.Key))
		}
	}
	for x := range s.client.ListObjects(ctx, s.bucket, minio.ListObjectsOptions{Prefix: prefix, Recursive: true}) {
		if x.Err != nil {
			errs = append(errs, x.Err)
			continue
		}
		errs = append(errs, s.client.RemoveObject(ctx, s.bucket, x.Key, minio.RemoveObjectOptions{}))
	}
	return errors.Join(errs...)
}

// plainly leaves what a store's error says, and what to do about a refusal.
func plainly(err error) error {
	if r := minio.ToErrorResponse(err); r.StatusCode == http.StatusForbidden {
		return errors.New("the store refuses: " + r.Message + "; set TACHYPHOR_STORE_ACCESS and TACHYPHOR_STORE_SECRET")
	}
	return err
}
