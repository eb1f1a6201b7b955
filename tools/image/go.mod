module tachyphor/tools/image

go 1.26.8

require github.com/google/go-containerregistry v0.22.1

require (
	github.com/klauspost/compress v1.19.2 // indirect
	github.com/opencontainers/go-digest v1.0.0 // indirect
	github.com/opencontainers/image-spec v1.1.1 // indirect
	golang.org/x/sync v0.22.0 // indirect
)
