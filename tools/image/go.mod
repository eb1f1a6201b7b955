module tachyphor/tools/image

go 1.26.8

require (
	github.com/google/go-containerregistry v0.22.1
	golang.org/x/sys v0.49.0
	golang.org/x/time v0.16.0
)

require (
	github.com/docker/cli v29.7.2+incompatible // indirect
	github.com/docker/docker-credential-helpers v0.9.3 // indirect
	github.com/klauspost/compress v1.19.2 // indirect
	github.com/opencontainers/go-digest v1.0.0 // indirect
	github.com/opencontainers/image-spec v1.1.1 // indirect
	github.com/sirupsen/logrus v1.9.4 // indirect
	golang.org/x/sync v0.22.0 // indirect
	gotest.tools/v3 v3.5.2 // indirect
)
