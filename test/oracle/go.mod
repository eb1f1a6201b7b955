module tachyphor/test/oracle

go 1.26.0

require (
	k8s.io/api v0.37.2
	k8s.io/apimachinery v0.37.2
	k8s.io/client-go v0.37.2
	k8s.io/kube-scheduler v0.0.0
	k8s.io/kubernetes v1.37.2
)

require (
	cel.dev/expr v0.25.1 // indirect
	github.com/antlr4-go/antlr/v4 v4.13.1 // indirect
	github.com/beorn7/perks v1.0.1 // indirect
	github.com/blang/semver/v4 v4.0.0 // indirect
	github.com/cespare/xxhash/v2 v2.3.0 // indirect
	github.com/davecgh/go-spew v1.1.2-0.20180830191138-d8f796af33cc // indirect
	github.com/emicklei/go-restful/v3 v3.13.0 // indirect
	github.com/fxamacker/cbor/v2 v2.9.1 // indirect
	github.com/go-logr/logr v1.4.3 // indirect
	github.com/go-openapi/jsonpointer v1.0.0 // indirect
	github.com/go-openapi/jsonreference v1.0.0 // indirect
	github.com/go-openapi/swag v0.27.1 // indirect
	github.com/go-openapi/swag/cmdutils v0.27.1 // indirect
	github.com/go-openapi/swag/conv v0.27.1 // indirect
	github.com/go-openapi/swag/fileutils v0.27.1 // indirect
	github.com/go-openapi/swag/jsonutils v0.27.1 // indirect
	github.com/go-openapi/swag/loading v0.27.1 // indirect
	github.com/go-openapi/swag/mangling v0.27.1 // indirect
	github.com/go-openapi/swag/netutils v0.27.1 // indirect
	github.com/go-openapi/swag/pools v0.27.1 // indirect
	github.com/go-openapi/swag/stringutils v0.27.1 // indirect
	github.com/go-openapi/swag/typeutils v0.27.1 // indirect
	github.com/go-openapi/swag/yamlutils v0.27.1 // indirect
	github.com/google/cel-go v0.29.2 // indirect
	github.com/google/gnostic-models v0.7.0 // indirect
	github.com/google/go-cmp v0.7.0 // indirect
	github.com/google/uuid v1.6.0 // indirect
	github.com/inconshreveable/mousetrap v1.1.0 // indirect
	github.com/json-iterator/go v1.1.12 // indirect
	github.com/modern-go/concurrent v0.0.0-20180306012644-bacd9c7ef1dd // indirect
	github.com/modern-go/reflect2 v1.0.3-0.20250322232337-35a7c28c31ee // indirect
	github.com/munnerz/goautoneg v0.0.0-20191010083416-a7dc8b61c822 // indirect
	github.com/pmezard/go-difflib v1.0.1-0.20181226105442-5d4384ee4fb2 // indirect
	github.com/prometheus/client_golang v1.24.0 // indirect
	github.com/prometheus/client_model v0.6.2 // indirect
	github.com/prometheus/common v0.70.0 // indirect
	github.com/prometheus/procfs v0.21.1 // indirect
	github.com/spf13/cobra v1.10.2 // indirect
	github.com/spf13/pflag v1.0.10 // indirect
	github.com/x448/float16 v0.8.4 // indirect
	go.opentelemetry.io/otel v1.44.0 // indirect
	go.opentelemetry.io/otel/trace v1.44.0 // indirect
	go.yaml.in/yaml/v2 v2.4.4 // indirect
	go.yaml.in/yaml/v3 v3.0.4 // indirect
	golang.org/x/exp v0.0.0-20260410095643-746e56fc9e2f // indirect
	golang.org/x/net v0.57.0 // indirect
	golang.org/x/oauth2 v0.36.0 // indirect
	golang.org/x/sync v0.22.0 // indirect
	golang.org/x/sys v0.47.0 // indirect
	golang.org/x/term v0.45.0 // indirect
	golang.org/x/text v0.40.0 // indirect
	golang.org/x/time v0.15.0 // indirect
	google.golang.org/genproto/googleapis/api v0.0.0-20260526163538-3dc84a4a5aaa // indirect
	google.golang.org/genproto/googleapis/rpc v0.0.0-20260526163538-3dc84a4a5aaa // indirect
	google.golang.org/protobuf v1.36.12-0.20260120151049-f2248ac996af // indirect
	gopkg.in/evanphx/json-patch.v4 v4.13.0 // indirect
	gopkg.in/inf.v0 v0.9.1 // indirect
	k8s.io/apiextensions-apiserver v0.0.0 // indirect
	k8s.io/apiserver v0.37.2 // indirect
	k8s.io/cloud-provider v0.0.0 // indirect
	k8s.io/component-base v0.37.2 // indirect
	k8s.io/component-helpers v0.37.2 // indirect
	k8s.io/controller-manager v0.37.2 // indirect
	k8s.io/csi-translation-lib v0.0.0 // indirect
	k8s.io/dynamic-resource-allocation v0.37.2 // indirect
	k8s.io/klog/v2 v2.140.0 // indirect
	k8s.io/kube-openapi v0.0.0-20260721132016-d427ff9ee9ad // indirect
	k8s.io/utils v0.0.0-20260626114624-be93311217bd // indirect
	sigs.k8s.io/json v0.0.0-20250730193827-2d320260d730 // indirect
	sigs.k8s.io/randfill v1.0.0 // indirect
	sigs.k8s.io/structured-merge-diff/v6 v6.4.2 // indirect
	sigs.k8s.io/yaml v1.6.0 // indirect
)

replace (
	k8s.io/api => k8s.io/api v0.37.2
	k8s.io/apiextensions-apiserver => k8s.io/apiextensions-apiserver v0.37.2
	k8s.io/apimachinery => k8s.io/apimachinery v0.37.2
	k8s.io/apiserver => k8s.io/apiserver v0.37.2
	k8s.io/cli-runtime => k8s.io/cli-runtime v0.37.2
	k8s.io/client-go => k8s.io/client-go v0.37.2
	k8s.io/cloud-provider => k8s.io/cloud-provider v0.37.2
	k8s.io/cluster-bootstrap => k8s.io/cluster-bootstrap v0.37.2
	k8s.io/code-generator => k8s.io/code-generator v0.37.2
	k8s.io/component-base => k8s.io/component-base v0.37.2
	k8s.io/component-helpers => k8s.io/component-helpers v0.37.2
	k8s.io/controller-manager => k8s.io/controller-manager v0.37.2
	k8s.io/cri-api => k8s.io/cri-api v0.37.2
	k8s.io/cri-client => k8s.io/cri-client v0.37.2
	k8s.io/cri-streaming => k8s.io/cri-streaming v0.37.2
	k8s.io/csi-translation-lib => k8s.io/csi-translation-lib v0.37.2
	k8s.io/dynamic-resource-allocation => k8s.io/dynamic-resource-allocation v0.37.2
	k8s.io/endpointslice => k8s.io/endpointslice v0.37.2
	k8s.io/externaljwt => k8s.io/externaljwt v0.37.2
	k8s.io/kms => k8s.io/kms v0.37.2
	k8s.io/kube-aggregator => k8s.io/kube-aggregator v0.37.2
	k8s.io/kube-controller-manager => k8s.io/kube-controller-manager v0.37.2
	k8s.io/kube-proxy => k8s.io/kube-proxy v0.37.2
	k8s.io/kube-scheduler => k8s.io/kube-scheduler v0.37.2
	k8s.io/kubectl => k8s.io/kubectl v0.37.2
	k8s.io/kubelet => k8s.io/kubelet v0.37.2
	k8s.io/metrics => k8s.io/metrics v0.37.2
	k8s.io/mount-utils => k8s.io/mount-utils v0.37.2
	k8s.io/pod-security-admission => k8s.io/pod-security-admission v0.37.2
	k8s.io/sample-apiserver => k8s.io/sample-apiserver v0.37.2
	k8s.io/sample-cli-plugin => k8s.io/sample-cli-plugin v0.37.2
	k8s.io/sample-controller => k8s.io/sample-controller v0.37.2
	k8s.io/streaming => k8s.io/streaming v0.37.2
)
