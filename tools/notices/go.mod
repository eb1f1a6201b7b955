module tachyphor/tools/notices

go 1.26.8

require github.com/google/licensecheck v0.3.1
