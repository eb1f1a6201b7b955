package probe

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/minio/minio-go/v7"
)

// A Stored is an object of a store, with who wrote it where that is said.
type Stored struct {
	Name     string    `json:"name" doc:"Its name."`
	Size     int64     `json:"size" doc:"Bytes."`
	At       time.Time `json:"at" doc:"When it was written."`
	Build    string    `json:"build,omitempty" doc:"Build that wrote it."`
	By       string    `json:"by,omitempty" doc:"Machine that it was written on."`
	Folder   string    `json:"folder,omitempty" doc:"Name of the folder that is in it."`
	Key      string    `json:"key,omitempty" doc:"Key of the dependencies that it was made with."`
	Codec    string    `json:"codec,omitempty" doc:"How it is packed."`
	Unpacked int64     `json:"unpacked,omitempty" doc:"Bytes of its files."`
	Told     bool      `json:"told" doc:"It says who wrote it."`
}

// What is said of an archive beside it, as metadata of the object.
const (
	metaBuild    = "Tachyphor-Build"
	metaBy       = "Tachyphor-By"
	metaFolder   = "Tachyphor-Folder"
	metaKey      = "Tachyphor-Key"
	metaCodec    = "Tachyphor-Codec"
	metaUnpacked = "Tachyphor-Unpacked"
)

// mostListed is how many objects are listed, and asked who wrote them.
const mostListed = 500

// List lists what is in the store under a prefix, newest first, with who wrote it. more says that there is
// more than is told.
func (s *Store) List(ctx context.Context, prefix string) (out []Stored, more bool, err error) {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	for x := range s.client.ListObjects(ctx, s.bucket, minio.ListObjectsOptions{Prefix: prefix, Recursive: true}) {
		if x.Err != nil {
			return nil, false, fmt.Errorf("cannot list %s: %w", s.Where, plainly(x.Err))
		}
		if len(out) == mostListed {
			more = true
			break
		}
		out = append(out, Stored{Name: x.Key, Size: x.Size, At: x.LastModified})
	}
	for i := range out {
		info, err := s.client.StatObject(ctx, s.bucket, out[i].Name, minio.StatObjectOptions{})
		if err != nil {
			continue // it has gone, or may not be looked at
		}
		x, m := &out[i], info.UserMetadata
		x.Build, x.By, x.Folder, x.Key, x.Codec = m[metaBuild], m[metaBy], m[metaFolder], m[metaKey], m[metaCodec]
		x.Unpacked, _ = strconv.ParseInt(m[metaUnpacked], 10, 64)
		x.Told = x.By != ""
	}
	slices.SortStableFunc(out, func(a, b Stored) int { return b.At.Compare(a.At) })
	return out, more, nil
}

// Save packs a folder into the store under a name, with who wrote it, and returns what is there then. build is
// what the build is called; empty: nothing.
func (s *Store) Save(ctx context.Context, folder, name, build, key string, lists *Lists, c Codec, cores int, scratch string) (Stored, error) {
	var out Stored
	f, err := os.CreateTemp(scratch, "tachyphor-save-*")
	if err != nil {
		return out, err
	}
	defer func() { _, _ = f.Close(), os.Remove(f.Name()) }()
	w, err := c.pack(f, c.Level, cores)
	if err != nil {
		return out, err
	}
	tree, err := pack(ctx, folder, nil, lists, w, func(int64) {})
	if err = errors.Join(err, w.Close()); err != nil {
		return out, err
	}
	size, err := f.Seek(0, io.SeekCurrent)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		return out, err
	}
	host, _ := os.Hostname()
	out = Stored{
		Name: name, Size: size, Build: build, By: host, Folder: filepath.Base(folder), Key: key, Codec: c.Name, Unpacked: tree.Bytes, Told: true, At: time.Now().UTC(),
	}
	meta := map[string]string{metaBy: host, metaFolder: out.Folder, metaCodec: c.Name, metaUnpacked: strconv.FormatInt(tree.Bytes, 10)}
	if build != "" {
		meta[metaBuild] = build
	}
	if key != "" {
		meta[metaKey] = key
	}
	_, err = s.client.PutObject(ctx, s.bucket, name, f, size, minio.PutObjectOptions{UserMetadata: meta, DisableMultipart: size < 5<<30, DisableContentSha256: true})
	if err != nil {
		return out, fmt.Errorf("cannot save to %s: %w", s.Where, plainly(err))
	}
	return out, nil
}

// tryTime is how long one of the rights is tried.
const tryTime = 8 * time.Second

// A Right is something that may be done with a store.
type Right struct {
	What   string `json:"what" doc:"What is tried."`
	Needed string `json:"needed" doc:"Who needs it; empty: nobody who only reads and saves workspaces."`
	Has    bool   `json:"has" doc:"It is allowed."`
	Says   string `json:"says,omitempty" doc:"Why not."`
}

// Rights are what some keys may do with a store.
type Rights struct {
	Where  string  `json:"where" doc:"Address of the store and its bucket."`
	Rights []Right `json:"rights" doc:"Each that was tried."`
	Enough bool    `json:"enough" doc:"It is enough for agents that read and save workspaces."`
	Says   string  `json:"says" doc:"That in words."`
}

// Try tries what the keys may do, with an object of its own that is taken away where that is allowed.
func (s *Store) Try(ctx context.Context) Rights {
	id := make([]byte, 8)
	_, _ = rand.Read(id)
	name := "tachyphor-probe-" + hex.EncodeToString(id) + "/rights"
	out := Rights{Where: s.Where}
	saved := false
	all := ctx
	try := func(what, needed string, do func() error) bool {
		var done context.CancelFunc
		ctx, done = context.WithTimeout(all, tryTime)
		defer done()
		err := do()
		r := Right{What: what, Needed: needed, Has: err == nil}
		if err != nil {
			r.Says = refusal(err)
		}
		out.Rights = append(out.Rights, r)
		return r.Has
	}
	look := try("ask for a workspace", "all agents", func() error {
		_, err := s.client.StatObject(ctx, s.bucket, name, minio.StatObjectOptions{})
		if minio.ToErrorResponse(err).StatusCode == http.StatusNotFound && minio.ToErrorResponse(err).Code != "NoSuchBucket" {
			return nil
		}
		return err
	})
	if !look && strings.Contains(out.Rights[0].Says, "dial ") {
		out.Says = "not enough: agents would find no workspace and save none, as the store is not reached"
		return out
	}
	text := []byte("a trial object, to be removed")
	saved = try("save one", "agents that save", func() error {
		_, err := s.client.PutObject(ctx, s.bucket, name, bytes.NewReader(text), int64(len(text)), minio.PutObjectOptions{DisableMultipart: true})
		return err
	})
	read := look
	if saved {
		read = try("read it", "all agents", func() error {
			r, err := s.client.GetObject(ctx, s.bucket, name, minio.GetObjectOptions{})
			if err != nil {
				return err
			}
			defer func() { _ = r.Close() }()
			got, err := io.ReadAll(io.LimitReader(r, 1024))
			if err == nil && !bytes.Equal(got, text) {
				return errors.New("something else came back")
			}
			return err
		})
	}
	list := try("list them", "", func() error {
		for x := range s.client.ListObjects(ctx, s.bucket, minio.ListObjectsOptions{Prefix: path.Dir(name) + "/", MaxKeys: 1}) {
			return x.Err
		}
		return nil
	})
	gone := true
	if saved {
		gone = try("take one away", "", func() error { return s.client.RemoveObject(ctx, s.bucket, name, minio.RemoveObjectOptions{}) })
	}
	out.Enough = read && saved
	var lacks string
	switch {
	case list && gone:
	case list:
		lacks = "to delete workspaces"
	case gone:
		lacks = "to list them"
	default:
		lacks = "to list and delete them"
	}
	switch {
	case out.Enough && lacks == "":
		out.Says = "enough for agents that read and save workspaces, and more: they may also list and delete those of others"
	case out.Enough:
		out.Says = "not enough rights " + lacks + ", but enough for what is needed: reading and saving workspaces"
	case read:
		out.Says = "not enough rights to save, but enough for agents that only read (savedBy: trunk, for change requests)"
	default:
		out.Says = "not enough: agents would find no workspace and save none"
	}
	if saved && !gone {
		out.Says += "; the trial object stays there, as " + name
	}
	return out
}

// refusal is why a store refuses.
func refusal(err error) string {
	if r := minio.ToErrorResponse(err); r.Message != "" {
		return r.Message
	}
	return err.Error()
}
