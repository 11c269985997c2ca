package netconf_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/driver/drivertest"
	"example.net/everypost/internal/driver/netconf"
	"example.net/everypost/internal/standin"
)

func TestContract(t *testing.T) {
	w, err := standin.New(standin.TernHaven(), standin.Options{User: "fleet", Password: "tidewater"})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	drivertest.Run(t, drivertest.Bench{
		Connector: netconf.Connector{},
		Target:    driver.Target{Address: w.Address("th-sw-02"), User: "fleet", Password: "tidewater"},
		Port:      "1/1/7",
		OtherVLAN: 40,
		Flip:      func() { require.NoError(t, w.Throw(standin.Cut, "th-sw-02:1/1/7")) },
		Refuse:    func() { require.NoError(t, w.Throw(standin.RefuseValidate, "th-sw-02")) },
		Slow:      func() { require.NoError(t, w.Throw(standin.Slow, "th-sw-02")) },
		Accept:    func() { require.NoError(t, w.Throw(standin.Recover, "th-sw-02")) },
	})
}

func TestContractOfADeviceWithoutAWayBack(t *testing.T) {
	plant := standin.TernHaven()
	for i := range plant.Devices {
		plant.Devices[i].NoTrial = true
	}
	w, err := standin.New(plant, standin.Options{User: "fleet", Password: "tidewater"})
	require.NoError(t, err)
	require.NoError(t, w.Start(t.Context()))
	t.Cleanup(w.Close)
	drivertest.Run(t, drivertest.Bench{
		Connector: netconf.Connector{},
		Target:    driver.Target{Address: w.Address("th-sw-02"), User: "fleet", Password: "tidewater"},
		Port:      "1/1/7",
		OtherVLAN: 40,
		Flip:      func() { require.NoError(t, w.Throw(standin.Cut, "th-sw-02:1/1/7")) },
	})
}
