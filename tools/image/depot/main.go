// Command depot makes small images for the nodes of tests, and serves them from a registry on
// loopback at a shaped rate.
//
//	depot tar FILE NAME:TAG PATH=FILE...
//	depot serve ADDRESS
//	depot push [-mb N] [-layers N] HOST/NAME:TAG PATH=FILE...
//
// PATH=>TARGET is a link. The rate is shared by all who pull; POST /rate?bytes=N sets it, 0 lifts it.
package main

import (
	"archive/tar"
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"flag"
	"fmt"
	"io"
	"log"
	"math/rand/v2"
	"net/http"
	"os"
	"path"
	"runtime"
	"strconv"
	"strings"
	"time"

	"github.com/google/go-containerregistry/pkg/name"
	"github.com/google/go-containerregistry/pkg/registry"
	v1 "github.com/google/go-containerregistry/pkg/v1"
	"github.com/google/go-containerregistry/pkg/v1/empty"
	"github.com/google/go-containerregistry/pkg/v1/mutate"
	"github.com/google/go-containerregistry/pkg/v1/remote"
	"github.com/google/go-containerregistry/pkg/v1/tarball"
	"golang.org/x/time/rate"
)

func main() {
	if err := run(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "depot:", err)
		os.Exit(1)
	}
}

func run(args []string) error {
	if len(args) < 2 {
		return errors.New("say tar, serve or push")
	}
	switch args[0] {
	case "tar":
		if len(args) < 4 {
			return errors.New("tar FILE NAME:TAG PATH=FILE...")
		}
		tag, err := name.NewTag(args[2])
		if err != nil {
			return err
		}
		image, err := build(args[2], args[3:], 0, 0)
		if err != nil {
			return err
		}
		return tarball.WriteToFile(args[1], tag, image)
	case "serve":
		return serve(args[1])
	case "push":
		return push(args[1:])
	}
	return fmt.Errorf("%s: say tar, serve or push", args[0])
}

func push(args []string) error {
	flags := flag.NewFlagSet("push", flag.ContinueOnError)
	mb := flags.Int("mb", 0, "megabytes of it that cannot be compressed")
	layers := flags.Int("layers", 4, "layers that they lie in")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if flags.NArg() < 2 {
		return errors.New("push HOST/NAME:TAG PATH=FILE...")
	}
	tag, err := name.NewTag(flags.Arg(0), name.Insecure)
	if err != nil {
		return err
	}
	image, err := build(flags.Arg(0), flags.Args()[1:], *mb, *layers)
	if err != nil {
		return err
	}
	return remote.Write(tag, image)
}

// files is a layer of folders, files and links.
func files(list []string) ([]byte, error) {
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	for name, mode := range map[string]int64{"bin/": 0o755, "etc/": 0o755, "tmp/": 0o1777} {
		if err := w.WriteHeader(&tar.Header{Typeflag: tar.TypeDir, Name: name, Mode: mode}); err != nil {
			return nil, err
		}
	}
	for _, f := range list {
		if link, target, ok := strings.Cut(f, "=>"); ok {
			if err := w.WriteHeader(&tar.Header{Typeflag: tar.TypeSymlink, Name: link[1:], Linkname: target, Mode: 0o777}); err != nil {
				return nil, err
			}
			continue
		}
		to, from, _ := strings.Cut(f, "=")
		data, err := os.ReadFile(from)
		if err != nil {
			return nil, err
		}
		if err := w.WriteHeader(&tar.Header{Typeflag: tar.TypeReg, Name: to[1:], Mode: 0o755, Size: int64(len(data))}); err != nil {
			return nil, err
		}
		if _, err := w.Write(data); err != nil {
			return nil, err
		}
	}
	return b.Bytes(), w.Close()
}

// build makes an image of files, and of megabytes that cannot be compressed in layers of their own.
// Those are other ones for each name. What it runs is the first file, or a shell where there is one.
func build(name string, list []string, mb, layers int) (v1.Image, error) {
	first, err := files(list)
	if err != nil {
		return nil, err
	}
	all := [][]byte{first}
	for i := range layers {
		if mb == 0 {
			break
		}
		data := make([]byte, mb*1_000_000/layers)
		_, _ = rand.NewChaCha8(sha256.Sum256(fmt.Appendf(nil, "%s %d", name, i))).Read(data)
		var b bytes.Buffer
		w := tar.NewWriter(&b)
		err := w.WriteHeader(&tar.Header{Typeflag: tar.TypeReg, Name: fmt.Sprintf("weight/%d", i), Mode: 0o644, Size: int64(len(data))})
		if err == nil {
			_, err = w.Write(data)
		}
		if err == nil {
			err = w.Close()
		}
		if err != nil {
			return nil, err
		}
		all = append(all, b.Bytes())
	}
	image := empty.Image
	for _, data := range all {
		layer, err := tarball.LayerFromOpener(func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(data)), nil },
			tarball.WithCompressionLevel(1))
		if err != nil {
			return nil, err
		}
		if image, err = mutate.AppendLayers(image, layer); err != nil {
			return nil, err
		}
	}
	config, err := image.ConfigFile()
	if err != nil {
		return nil, err
	}
	config = config.DeepCopy()
	config.OS, config.Architecture = "linux", runtime.GOARCH
	config.Config.Env = []string{"PATH=/bin"}
	if to, _, _ := strings.Cut(list[0], "="); path.Base(to) == "busybox" {
		config.Config.Cmd = []string{"/bin/sh"}
	} else {
		config.Config.Entrypoint = []string{to}
	}
	return mutate.ConfigFile(image, config)
}

func serve(address string) error {
	limit := rate.NewLimiter(rate.Inf, 1<<16)
	images := registry.New(registry.Logger(log.New(io.Discard, "", 0)))
	server := &http.Server{Addr: address, ReadHeaderTimeout: 10 * time.Second, Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/rate" && r.Method == http.MethodPost {
			n, err := strconv.Atoi(r.URL.Query().Get("bytes"))
			if err != nil || n < 0 {
				http.Error(w, "bytes: a number of bytes a second", http.StatusBadRequest)
				return
			}
			if limit.SetLimit(rate.Limit(n)); n == 0 {
				limit.SetLimit(rate.Inf)
			}
			return
		}
		if r.Method == http.MethodGet && strings.Contains(r.URL.Path, "/blobs/") {
			w = shaped{w, r.Context(), limit}
		}
		images.ServeHTTP(w, r)
	})}
	return server.ListenAndServe()
}

// shaped is an answer that is written no faster than its limit lets it.
type shaped struct {
	http.ResponseWriter
	ctx   context.Context
	limit *rate.Limiter
}

func (s shaped) Write(p []byte) (done int, err error) {
	for done < len(p) {
		n := min(len(p)-done, 32<<10)
		if err := s.limit.WaitN(s.ctx, n); err != nil {
			return done, err
		}
		m, err := s.ResponseWriter.Write(p[done : done+n])
		if done += m; err != nil {
			return done, err
		}
	}
	return done, nil
}
