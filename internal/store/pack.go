package store

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"sync"

	"github.com/klauspost/compress/zstd"
)

// Digest names content by its sha256.
func Digest(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// packer compresses records; one serves all.
var packer = sync.OnceValue(func() *zstd.Encoder {
	w, err := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1))
	if err != nil {
		panic("store: " + err.Error()) // only for impossible options
	}
	return w
})

// pack compresses a record.
func Pack(data []byte) []byte { return packer().EncodeAll(data, nil) }

// maxUnpacked bounds a record after decompression.
const maxUnpacked = 1 << 30

// unpack decompresses a record.
func Unpack(data []byte) ([]byte, error) {
	r, err := zstd.NewReader(bytes.NewReader(data), zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(maxUnpacked))
	if err != nil {
		return nil, err
	}
	defer r.Close()
	return io.ReadAll(r)
}
