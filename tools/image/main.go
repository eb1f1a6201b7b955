// Command image writes the program as an image: an OCI layout, without any daemon. The same
// program gives the same bytes.
package main

import (
	"archive/tar"
	"bytes"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"time"

	v1 "github.com/google/go-containerregistry/pkg/v1"
	"github.com/google/go-containerregistry/pkg/v1/empty"
	"github.com/google/go-containerregistry/pkg/v1/layout"
	"github.com/google/go-containerregistry/pkg/v1/mutate"
	"github.com/google/go-containerregistry/pkg/v1/tarball"
	"github.com/google/go-containerregistry/pkg/v1/types"
)

// user is whom the program runs as: nobody that a node knows.
const user = 65532

// authorities are the certificates with which the program knows others, where this machine has them.
const authorities = "/etc/ssl/certs/ca-certificates.crt"

func main() {
	program := flag.String("program", "", "the program, built without cgo")
	arch := flag.String("arch", "amd64", "architecture that it is built for")
	version := flag.String("version", "dev", "its version")
	with := flag.String("with", "", "folder with the files LICENSE and NOTICES")
	into := flag.String("into", "", "folder of the layout; what is there is replaced")
	flag.Parse()
	digest, err := write(*program, *arch, *version, *with, *into)
	if err != nil {
		fmt.Fprintln(os.Stderr, "image:", err)
		os.Exit(1)
	}
	fmt.Println(digest)
}

func write(program, arch, version, with, into string) (digest v1.Hash, err error) {
	if program == "" || into == "" {
		return digest, errors.New("say --program FILE --into DIR")
	}
	image, err := build(program, arch, version, with)
	if err != nil {
		return digest, err
	}
	if err := os.RemoveAll(into); err != nil {
		return digest, err
	}
	l, err := layout.Write(into, empty.Index)
	if err != nil {
		return digest, err
	}
	if err := l.AppendImage(image, layout.WithAnnotations(map[string]string{"org.opencontainers.image.ref.name": version}),
		layout.WithPlatform(v1.Platform{OS: "linux", Architecture: arch})); err != nil {
		return digest, err
	}
	return image.Digest()
}

// build makes the image: the program, its licences, the authorities, and nothing else.
func build(program, arch, version, with string) (v1.Image, error) {
	var files bytes.Buffer
	w := tar.NewWriter(&files)
	add := func(name, from string, mode int64) error {
		b, err := os.ReadFile(from)
		if err != nil {
			return err
		}
		h := &tar.Header{Typeflag: tar.TypeReg, Name: name, Mode: mode, Size: int64(len(b)), ModTime: time.Unix(0, 0), Format: tar.FormatPAX}
		if err := w.WriteHeader(h); err != nil {
			return err
		}
		_, err = w.Write(b)
		return err
	}
	if err := add("tachyphor", program, 0o755); err != nil {
		return nil, err
	}
	for _, name := range []string{"LICENSE", "NOTICES"} {
		if with == "" {
			break
		}
		if err := add(name, filepath.Join(with, name), 0o644); err != nil {
			return nil, err
		}
	}
	if _, err := os.Stat(authorities); err == nil {
		if err := add(authorities[1:], authorities, 0o644); err != nil {
			return nil, err
		}
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	layer, err := tarball.LayerFromOpener(func() (io.ReadCloser, error) { return io.NopCloser(bytes.NewReader(files.Bytes())), nil },
		tarball.WithMediaType(types.OCILayer))
	if err != nil {
		return nil, err
	}
	image, err := mutate.AppendLayers(mutate.ConfigMediaType(mutate.MediaType(empty.Image, types.OCIManifestSchema1), types.OCIConfigJSON), layer)
	if err != nil {
		return nil, err
	}
	config, err := image.ConfigFile()
	if err != nil {
		return nil, err
	}
	config = config.DeepCopy()
	config.OS, config.Architecture, config.Created = "linux", arch, v1.Time{Time: time.Unix(0, 0).UTC()}
	config.Config = v1.Config{
		Entrypoint: []string{"/tachyphor"}, User: strconv.Itoa(user) + ":" + strconv.Itoa(user), WorkingDir: "/",
		Labels: map[string]string{"org.opencontainers.image.title": "tachyphor", "org.opencontainers.image.version": version},
	}
	return mutate.ConfigFile(image, config)
}
