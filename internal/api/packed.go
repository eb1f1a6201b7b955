package api

import (
	"compress/gzip"
	"net/http"
	"strings"

	"github.com/klauspost/compress/gzhttp"
)

// leastPacked is from how many bytes on an answer is packed.
const leastPacked = 1400

// packed packs what is text for who takes gzip: the console's files, which are kept by who fetched them, as small as can
// be, and answers as fast as can be. What is followed as it happens is sent as it is, and so are files that are packed
// already.
func packed(h http.Handler) http.Handler {
	files, answers := packing(h, gzip.BestCompression), packing(h, gzip.BestSpeed)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if strings.HasPrefix(r.URL.Path, "/assets/") {
			files(w, r)
			return
		}
		answers(w, r)
	})
}

func packing(h http.Handler, level int) http.HandlerFunc {
	wrap, err := gzhttp.NewWrapper(
		gzhttp.MinSize(leastPacked), gzhttp.CompressionLevel(level), gzhttp.ContentTypes([]string{
			"text/html", "text/css", "text/plain", "text/csv", "text/javascript", "application/javascript", "application/json", "application/problem+json",
			"application/x-ndjson", "application/jsonl", "application/yaml", "application/openapi+json", "image/svg+xml",
		}),
	)
	if err != nil {
		panic("api: " + err.Error()) // only for settings that there are not
	}
	return wrap(h)
}
