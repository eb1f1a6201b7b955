package main

import (
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// The tree that is packed: half of its files text, half noise.
const (
	probedFiles = 200_000
	probedBytes = 2 << 30
)

// grow makes the tree.
func grow(root string) error {
	r := rand.New(rand.NewPCG(1, 2))
	words := make([]string, 4000)
	for i := range words {
		b := make([]byte, 3+r.IntN(9))
		for k := range b {
			b[k] = byte('a' + r.IntN(26))
		}
		words[i] = string(b)
	}
	size := probedBytes / probedFiles
	for i := range probedFiles {
		dir := filepath.Join(root, strconv.Itoa(i%40), strconv.Itoa(i%1000))
		if i < 1000*40 {
			if err := os.MkdirAll(dir, 0o755); err != nil {
				return err
			}
		}
		b := make([]byte, 0, size+16)
		for len(b) < size {
			if i%2 == 0 {
				b = append(append(b, words[int(float64(len(words))*r.Float64()*r.Float64())]...), " \n\t("[r.IntN(4)])
			} else {
				b = strconv.AppendUint(b, r.Uint64(), 36)
				for k := max(0, len(b)-12); k < len(b); k++ {
					b[k] = byte(r.Uint32())
				}
			}
		}
		if err := os.WriteFile(filepath.Join(dir, "f"+strconv.Itoa(i)), b[:size], 0o644); err != nil {
			return err
		}
	}
	return nil
}

// measureProbe packs the tree with the program on one core, and beside it, in turn, with
// tar and zstd of Debian on the same core.
func measureProbe(program string) error {
	if _, err := exec.LookPath("zstd"); err != nil {
		fmt.Println("probe: zstd is not installed; left out")
		return nil
	}
	dir, err := os.MkdirTemp("", "tachyphor-bench-")
	if err != nil {
		return err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	root := filepath.Join(dir, "tree")
	fmt.Printf("probe: making %d files, %d MiB\n", probedFiles, probedBytes>>20)
	if err := grow(root); err != nil {
		return err
	}
	var ours, theirs []float64
	var most int64
	for round := range 3 {
		c := exec.Command("taskset", "-c", "0", program, "probe", root, "--whole", "--no-unpack", "--cores", "one", "--codecs", "zstd-3",
			"-q", "-o", "json", "--scratch", dir)
		out, err := c.Output()
		if err != nil {
			return fmt.Errorf("probe: %w", err)
		}
		_, rest, _ := strings.Cut(string(out), `"seconds": `)
		s, _, _ := strings.Cut(rest, ",")
		seconds, err := strconv.ParseFloat(s, 64)
		if err != nil {
			return err
		}
		ours = append(ours, seconds)
		if u, ok := c.ProcessState.SysUsage().(*syscall.Rusage); ok {
			most = max(most, u.Maxrss)
		}
		began := time.Now()
		if out, err := exec.Command("taskset", "-c", "0", "sh", "-c",
			"tar cf - -C "+dir+" tree | zstd -q -3 -T1 -c > "+dir+"/theirs").CombinedOutput(); err != nil {
			return fmt.Errorf("tar and zstd: %w: %s", err, out)
		}
		theirs = append(theirs, time.Since(began).Seconds())
		_ = os.Remove(filepath.Join(dir, "theirs"))
		fmt.Printf("  round %d: probe %.1f s, tar | zstd %.1f s\n", round+1, ours[round], theirs[round])
	}
	slices.Sort(ours)
	slices.Sort(theirs)
	o, t := ours[len(ours)/2], theirs[len(theirs)/2]
	fmt.Printf("probe: zstd-3 on one core %.0f MB/s, tar | zstd %.0f MB/s, ours ÷ theirs = %.2f; at most %d MiB of memory\n\n",
		probedBytes/o/1e6, probedBytes/t/1e6, t/o, most>>10)
	return nil
}
