package kill_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/standin"
	"example.net/everypost/internal/testing/race"
	"example.net/everypost/internal/testing/rig"
	"example.net/everypost/internal/wire/image"
)

// rolloutKills is how often the service is killed while it upgrades devices.
var rolloutKills = race.Fewer(12, 4)

// TestKilledRollout kills the service at moments spread over an upgrade of two switches, one behind the other. Started again, it brings the upgrade to its
// end by itself, and each device runs what the service says.
func TestKilledRollout(t *testing.T) {
	t.Parallel()
	w := rig.World(t)
	p := killed{rig.StartProcess(t, w)}
	random := rand.New(rand.NewPCG(1, 2))
	images := map[string]int64{}
	versions := []string{"4.2.0", "4.3.0", "4.4.0"} // two are in the slots: the third has to be sent
	for _, version := range versions {
		var file bytes.Buffer
		require.NoError(t, standin.MakeImage(&file, image.Header{Maker: "Halyard", Models: []string{"H24P", "H48P"}, Version: version}, 400_000, false))
		i, err := p.AddImage(t.Context(), &file)
		require.NoError(t, err)
		_, err = p.ActOnImage(t.Context(), i.Number, v1.ImageAct{Act: "approve"})
		require.NoError(t, err)
		images[version] = i.Number
	}
	const takes = 11 * time.Second // two switches, one after the other, with a margin
	for round := range rolloutKills {
		version := versions[round%len(versions)]
		for _, model := range []string{"H24P", "H48P"} {
			_, err := p.PutBaseline(t.Context(), "Halyard", model, images[version])
			require.NoError(t, err)
		}
		j, err := p.MakeJob(t.Context(), v1.JobRequest{Kind: "upgrade"})
		require.NoError(t, err)
		share := (float64(round) + random.Float64()) / float64(rolloutKills)
		<-time.After(time.Duration(share * float64(takes))) // the moment is the subject here
		p.Kill()
		p.Start()
		var run v1.JobRunDetail
		require.Eventually(t, func() bool {
			run, err = p.JobRun(t.Context(), j.Last.Number)
			return err == nil && run.EndedAt != nil
		}, 2*time.Minute, 50*time.Millisecond, "round %d: %+v", round, run)
		said := fmt.Sprintf("round %d, after %s: %+v", round, time.Duration(share*float64(takes)), run)
		assert.Equal(t, "done", run.State, said)
		p.AwaitDevices(len(w.Devices()))
		list, err := p.DeviceFirmware(t.Context(), "kind = switch", false)
		require.NoError(t, err)
		for _, d := range list.Items {
			assert.Equal(t, version, w.FirmwareOf(d.Device), said)
			assert.Equal(t, w.FirmwareOf(d.Device), d.Runs, said)
		}
	}
}
