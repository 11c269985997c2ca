package between_test

import (
	"testing"

	"example.net/everypost/internal/testing/rig"
)

func TestMain(m *testing.M) { rig.Main(m) }
