package test

import (
	"encoding/json"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/api/server"
	"example.net/everypost/internal/core/setting"
)

const module = "example.net/everypost/"

// rings says what each part may import of ours; the longest prefix of a package counts. The core may besides import only
// the standard library.
var rings = map[string][]string{
	"internal/core":              {"internal/core"},
	"internal/wire":              {"internal/wire"},
	"internal/driver":            {"internal/core", "internal/wire", "internal/driver"},
	"internal/driver/netconf":    {"internal/core", "internal/wire", "internal/driver"},
	"internal/store":             {"internal/core"},
	"internal/service":           {"internal/core", "internal/driver", "internal/store", "internal/service"},
	"internal/service/access":    {"internal/core", "internal/driver", "internal/store", "internal/service", "internal/wire/radius"},
	"internal/service/captures":  {"internal/store", "internal/wire/pcap"},
	"internal/service/firmware":  {"internal/core", "internal/driver", "internal/store", "internal/service", "internal/wire/image"},
	"internal/api/v1":            {"internal/core/network"},
	"internal/api/server":        {"internal/core", "internal/driver", "internal/service", "internal/store", "internal/api/v1", "internal/api/portal"},
	"internal/api/bootstrap":     {"internal/service/arrivals", "internal/wire"},
	"internal/api/portal":        {"internal/core/guest", "internal/service/guests", "internal/store"},
	"internal/api/client":        {"internal/api/v1"},
	"internal/cli/safe":          {},
	"internal/cli":               {"internal/api/client", "internal/api/v1", "internal/cli/safe", "internal/cli/watch"},
	"internal/cli/watch":         {"internal/api/v1", "internal/cli/safe"},
	"internal/standin":           {"internal/wire", "internal/core/network"},
	"internal/console":           {},
	"internal/testing/browser":   {},
	"internal/testing/race":      {},
	"internal/testing/foreign":   {},
	"internal/testing/testhouse": {"internal"},
	"internal/testing/rig":       {"internal"},
	"internal/testing/peers":     {},
	"internal/testing/emptydb":   {"internal/store"},
}

func TestImportsKeepTheRings(t *testing.T) {
	t.Parallel()
	cmd := exec.Command("go", "list", "-f", "{{.ImportPath}} {{join .Imports \" \"}}", "./internal/...")
	cmd.Dir = ".."
	out, err := cmd.Output()
	require.NoError(t, err)
	for line := range strings.Lines(string(out)) {
		words := strings.Fields(line)
		pkg := strings.TrimPrefix(words[0], module)
		allowed, ok := ringOf(pkg)
		require.True(t, ok, "%s is in no ring: place it", pkg)
		for _, imported := range words[1:] {
			ours, is := strings.CutPrefix(imported, module)
			switch {
			case is:
				assert.True(t, ours == pkg || within(ours, allowed), "%s may not import %s", pkg, ours)
				// A protocol's word may not come into the service through a driver.
				assert.False(t, strings.HasPrefix(pkg, "internal/service") && strings.HasPrefix(ours, "internal/driver/"), "%s may not import %s", pkg, ours)
			case imported == "github.com/teambition/rrule-go": // computes, and no more
			case strings.HasPrefix(pkg, "internal/core/"):
				assert.NotContains(t, strings.SplitN(imported, "/", 2)[0], ".", "%s: the core imports only the standard library, not %s", pkg, imported)
				assert.NotContains(t, []string{"os", "net", "net/http", "log", "log/slog", "io", "sync"}, imported, "%s: the core does no I/O", pkg)
			}
		}
	}
}

func ringOf(pkg string) ([]string, bool) {
	for p := pkg; p != "."; p = filepath.Dir(p) {
		if allowed, ok := rings[p]; ok {
			return allowed, true
		}
	}
	return nil, false
}

func within(pkg string, allowed []string) bool {
	for _, a := range allowed {
		if pkg == a || strings.HasPrefix(pkg, a+"/") {
			return true
		}
	}
	return false
}

// A kind of thing that can be set up is described once, in the core: what stands around it knows kinds by what is said of them, not by name.
func TestKindsAreNamedInTheCoreOnly(t *testing.T) {
	t.Parallel()
	var words []string
	for _, a := range setting.Kinds() {
		words = append(words, `"`+regexp.QuoteMeta(string(a.Kind))+`/`)
	}
	named := regexp.MustCompile(`setting\.On[A-Z]|` + strings.Join(words, "|"))
	for _, dir := range []string{"../internal/service", "../internal/api", "../internal/cli"} {
		require.NoError(t, filepath.WalkDir(dir, func(path string, _ fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			b, err := os.ReadFile(path)
			assert.Empty(t, named.FindString(string(b)), path)
			return err
		}))
	}
}

func TestGeneratedFilesAreCurrent(t *testing.T) {
	t.Parallel()
	want, err := json.MarshalIndent(server.API("1"), "", "  ")
	require.NoError(t, err)
	got, err := os.ReadFile("../web/openapi.json")
	require.NoError(t, err)
	assert.Equal(t, string(want), strings.TrimSpace(string(got)), "run make generate")

	dir := t.TempDir()
	cmd := exec.Command("go", "run", "-trimpath", "../tools/reference", dir) // as the program is built: most of it is there already
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	for _, name := range []string{"commands.md", "api.md", "settings.md", "facts.md"} {
		want, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		got, err := os.ReadFile(filepath.Join("../docs/reference", name))
		require.NoError(t, err)
		assert.Equal(t, string(want), string(got), "run make generate")
	}
}

// How devices speak is known to drivers and to what speaks the protocols: above them no protocol's word stands.
func TestProtocolsAreSpokenInTheirRingOnly(t *testing.T) {
	t.Parallel()
	protocol := regexp.MustCompile(`(?i)netconf|\byang\b|\brpc\b|confirmed.commit|edit-config|datastore|gnmi|\boids?\b|xmlnode`)
	for _, dir := range []string{"../internal/core", "../internal/service", "../internal/store", "../internal/api/server", "../internal/api/v1", "../internal/api/client", "../internal/cli"} {
		require.NoError(t, filepath.WalkDir(dir, func(path string, _ fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			b, err := os.ReadFile(path)
			assert.Empty(t, protocol.FindString(string(b)), path)
			return err
		}))
	}
}
