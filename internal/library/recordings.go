package library

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/internal/store"

	"github.com/klauspost/compress/zstd"
)

// recordedJobs bounds how many jobs of parsed recordings stay in memory together; the one
// used last does in any case.
const recordedJobs = 3_000_000

// pieceBytes is how much of a recording's file a piece holds. It never changes: pieces
// that are stored are found again by their numbers.
const pieceBytes = 4 << 20

// Recording returns a stored recording, parsed, with the names of columns that
// its workload gives.
func (l *Library) Recording(ctx context.Context, jobs *document.Recorded) (*demand.Recording, error) {
	return l.recordings.Get(ctx, jobs.Digest+" "+fmt.Sprint(jobs.Columns), func(ctx context.Context) (*demand.Recording, error) {
		stored, err := l.store.GetRecording(ctx, jobs.Digest)
		if err != nil {
			return nil, Troubled(err)
		}
		src, err := l.open(ctx, stored)
		if err != nil {
			return nil, err
		}
		return demand.Read(src, jobs.Columns)
	})
}

// CopyRecording writes a stored recording's file.
func (l *Library) CopyRecording(ctx context.Context, digest string, w io.Writer) error {
	stored, err := l.store.GetRecording(ctx, digest)
	if err != nil {
		return Troubled(err)
	}
	src, err := l.open(ctx, stored)
	if err != nil {
		return err
	}
	_, err = io.Copy(w, src)
	return err
}

// open reads a recording's file, piece by piece.
func (l *Library) open(ctx context.Context, r store.Recording) (io.Reader, error) {
	if r.Pieces == 0 { // as earlier versions stored it
		data, err := store.Unpack(r.Data)
		return bytes.NewReader(data), err
	}
	return &pieces{ctx: ctx, store: l.store, of: r}, nil
}

// pieces reads a recording's pieces one after the other.
type pieces struct {
	ctx   context.Context
	store *store.Store
	of    store.Recording
	next  int
	at    bytes.Reader
}

func (p *pieces) Read(b []byte) (int, error) {
	for p.at.Len() == 0 {
		if p.next == p.of.Pieces {
			return 0, io.EOF
		}
		piece, err := p.store.GetPiece(p.ctx, p.of.Digest, p.next)
		if errors.Is(err, store.ErrNotFound) {
			return 0, fmt.Errorf("piece %d of %d of the recording is missing", p.next+1, p.of.Pieces)
		}
		if err != nil {
			return 0, Troubled(err)
		}
		data, err := store.Unpack(piece.Data)
		if err != nil {
			return 0, err
		}
		p.next++
		p.at.Reset(data)
	}
	return p.at.Read(b)
}

// BadRows is the error of a recording with rows that were refused.
type BadRows struct{ Recording *demand.Recording }

// Error counts the rows.
func (b BadRows) Error() string {
	return fmt.Sprintf("%d rows were refused", b.Recording.Bads)
}

// BadRecording is the error of a file that cannot be taken as a recording.
type BadRecording struct{ error }

// Unwrap returns what is wrong.
func (b BadRecording) Unwrap() error { return b.error }

// Keep stores a recording under its digest. columns are the file's own names of
// columns, nil for ours. With skipBad the good rows are
// taken and the bad ones left out; otherwise bad rows are an error. The file goes to disk
// first, so that memory holds its rows alone. An error of src is returned as it is.
func (l *Library) Keep(ctx context.Context, src io.Reader, columns map[string]string, skipBad bool) (digest string, r *demand.Recording,
	err error,
) {
	file, err := os.CreateTemp(l.folder, "tachyphor-recording-")
	if err != nil {
		return "", nil, err
	}
	defer func() {
		_ = file.Close()
		_ = os.Remove(file.Name())
	}()
	hash := sha256.New()
	if err := spool(file, io.TeeReader(src, hash)); err != nil {
		return "", nil, err
	}
	digest = hex.EncodeToString(hash.Sum(nil))
	back := func() (io.Reader, error) {
		if _, err := file.Seek(0, io.SeekStart); err != nil {
			return nil, err
		}
		return zstd.NewReader(file, zstd.WithDecoderConcurrency(1), zstd.WithDecoderLowmem(true))
	}
	in, err := back()
	if err != nil {
		return "", nil, err
	}
	if r, err = demand.Read(in, columns); err != nil {
		return "", nil, BadRecording{err}
	}
	if r.Bads > 0 && !skipBad {
		return "", nil, BadRows{r}
	}
	if r.Len() == 0 {
		return "", nil, BadRecording{errors.New("no jobs; after the header each line is one job")}
	}
	if _, err := l.store.HasRecording(ctx, digest); err == nil {
		return digest, r, nil
	}
	if in, err = back(); err != nil {
		return "", nil, err
	}
	n, buf := 0, make([]byte, pieceBytes)
	for ; ; n++ {
		size, err := io.ReadFull(in, buf)
		if size > 0 {
			if err := l.store.PutPiece(ctx, store.Piece{Digest: digest, Number: n, Data: store.Pack(buf[:size])}); err != nil {
				return "", nil, err
			}
		}
		if errors.Is(err, io.ErrUnexpectedEOF) {
			n++
			break
		}
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return "", nil, err
		}
	}
	if err := l.store.PutRecording(ctx, store.Recording{Digest: digest, Jobs: r.Len(), Pieces: n}); err != nil {
		return "", nil, err
	}
	return digest, r, nil
}

// spool writes src into a file, compressed.
func spool(file io.Writer, src io.Reader) error {
	w, err := zstd.NewWriter(file, zstd.WithEncoderConcurrency(1), zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithLowerEncoderMem(true))
	if err != nil {
		return err
	}
	_, err = io.Copy(w, src)
	return errors.Join(err, w.Close())
}
