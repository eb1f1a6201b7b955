// Package objects is a small store that speaks the S3 protocol and carries at a chosen
// speed, for trying what an uplink does to a cache. It keeps everything in memory and
// is for loopback.
package objects

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/units"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
	"golang.org/x/time/rate"
)

// Config says how the store carries. Rates of 0 are without limit.
type Config struct {
	Address string // absent: a free port of loopback
	Bucket  string
	Access  string         // access key that requests must name; absent: any
	Down    units.Rate     // of all that is brought together
	Up      units.Rate     // of all that is sent together
	PerFlow units.Rate     // of one that is brought
	PerUp   units.Rate     // of one that is sent
	Latency units.Duration // before each answer
}

// A Store is a running stand-in.
type Store struct {
	Address string // as http://127.0.0.1:9000/bucket
	server  *http.Server
	ended   chan error
	backend *s3mem.Backend
	bucket  string
}

// Start begins to serve.
func Start(c Config) (*Store, error) {
	if c.Address == "" {
		c.Address = "127.0.0.1:0"
	}
	if c.Bucket == "" {
		c.Bucket = "workspaces"
	}
	backend := s3mem.New()
	if err := backend.CreateBucket(c.Bucket); err != nil {
		return nil, err
	}
	l, err := net.Listen("tcp", c.Address)
	if err != nil {
		return nil, err
	}
	faker := gofakes3.New(backend, gofakes3.WithLogger(gofakes3.DiscardLog()), gofakes3.WithTimeSkewLimit(0))
	h := &carrier{Config: c, next: faker.Server(), down: limiter(c.Down), up: limiter(c.Up)}
	s := &Store{
		Address: "http://" + l.Addr().String() + "/" + c.Bucket, backend: backend, bucket: c.Bucket,
		server: &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second}, ended: make(chan error, 1),
	}
	go func() { s.ended <- s.server.Serve(l) }()
	return s, nil
}

// Close stops serving and forgets everything.
func (s *Store) Close() error {
	err := s.server.Close()
	if end := <-s.ended; !errors.Is(end, http.ErrServerClosed) && err == nil {
		err = end
	}
	return err
}

// Objects counts what is in the bucket.
func (s *Store) Objects() (int, error) {
	list, err := s.backend.ListBucket(s.bucket, nil, gofakes3.ListBucketPage{})
	if err != nil {
		return 0, err
	}
	return len(list.Contents), nil
}

// quantum is how much is carried at once: small enough for flows to share fairly.
const quantum = 32 << 10

// oversleep is how much a timer may be late.
const oversleep = 20 * time.Millisecond

func limiter(r units.Rate) *rate.Limiter {
	if r <= 0 {
		return nil
	}
	// What a timer oversleeps may be made up for.
	return rate.NewLimiter(rate.Limit(r), max(quantum, int(float64(r)*oversleep.Seconds())))
}

// carrier slows requests down, and lets only those in that name the access key.
type carrier struct {
	Config
	next     http.Handler
	down, up *rate.Limiter
}

// ServeHTTP serves one request.
func (c *carrier) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if c.Access != "" && !strings.Contains(r.Header.Get("Authorization"), "Credential="+c.Access+"/") {
		w.WriteHeader(http.StatusForbidden)
		_, _ = io.WriteString(w, `<?xml version="1.0"?><Error><Code>AccessDenied</Code><Message>the access key is not known</Message></Error>`)
		return
	}
	select {
	case <-time.After(time.Duration(c.Latency)):
	case <-r.Context().Done():
		return
	}
	r.Body = io.NopCloser(&slowReader{r.Context(), r.Body, []*rate.Limiter{c.up, limiter(c.PerUp)}})
	if err := plainBody(r); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	c.next.ServeHTTP(&slowWriter{w, r.Context(), []*rate.Limiter{c.down, limiter(c.PerFlow)}}, r)
}

// wait waits until so many bytes may go.
func wait(ctx context.Context, limits []*rate.Limiter, n int) error {
	for _, l := range limits {
		if l == nil {
			continue
		}
		if err := l.WaitN(ctx, n); err != nil {
			return err
		}
	}
	return nil
}

type slowReader struct {
	ctx    context.Context
	r      io.Reader
	limits []*rate.Limiter
}

// Read reads some, and waits for it.
func (s *slowReader) Read(b []byte) (int, error) {
	n, err := s.r.Read(b[:min(len(b), quantum)])
	if n > 0 {
		if werr := wait(s.ctx, s.limits, n); werr != nil {
			return n, werr
		}
	}
	return n, err
}

type slowWriter struct {
	http.ResponseWriter
	ctx    context.Context
	limits []*rate.Limiter
}

// Write writes in small parts, and waits for each.
func (s *slowWriter) Write(b []byte) (int, error) {
	sent := 0
	for sent < len(b) {
		k := min(len(b)-sent, quantum)
		if err := wait(s.ctx, s.limits, k); err != nil {
			return sent, err
		}
		n, err := s.ResponseWriter.Write(b[sent : sent+k])
		if sent += n; err != nil {
			return sent, err
		}
	}
	return sent, nil
}

// plainBody undoes the chunks that clients of the protocol sign one by one, which the
// library behind this does not know.
func plainBody(r *http.Request) error {
	if !strings.HasPrefix(r.Header.Get("X-Amz-Content-Sha256"), "STREAMING-") {
		return nil
	}
	size, err := strconv.ParseInt(r.Header.Get("X-Amz-Decoded-Content-Length"), 10, 64)
	if err != nil || size < 0 {
		return errors.New("X-Amz-Decoded-Content-Length is missing")
	}
	r.Body = io.NopCloser(&chunks{r: bufio.NewReaderSize(r.Body, quantum)})
	r.ContentLength = size
	r.Header.Set("X-Amz-Content-Sha256", "UNSIGNED-PAYLOAD")
	r.Header.Set("Content-Length", strconv.FormatInt(size, 10))
	r.Header.Del("X-Amz-Trailer")
	if r.Header.Get("Content-Encoding") == "aws-chunked" {
		r.Header.Del("Content-Encoding")
	}
	return nil
}

// chunks reads a body of the form "hex[;signature]\r\n bytes \r\n ... 0 ... \r\n".
type chunks struct {
	r    *bufio.Reader
	left int64
	over bool
}

// Read reads content.
func (c *chunks) Read(b []byte) (int, error) {
	if c.over {
		return 0, io.EOF
	}
	if c.left == 0 {
		line, err := c.r.ReadString('\n')
		if err != nil {
			return 0, io.ErrUnexpectedEOF
		}
		head, _, _ := strings.Cut(strings.TrimRight(line, "\r\n"), ";")
		if c.left, err = strconv.ParseInt(head, 16, 64); err != nil || c.left < 0 {
			return 0, fmt.Errorf("%q is no length of a chunk", head)
		}
		if c.left == 0 { // trailers follow, which nobody needs
			c.over = true
			_, _ = io.Copy(io.Discard, c.r)
			return 0, io.EOF
		}
	}
	n, err := c.r.Read(b[:min(int64(len(b)), c.left)])
	c.left -= int64(n)
	if c.left == 0 && err == nil {
		_, err = c.r.Discard(2)
	}
	return n, err
}
