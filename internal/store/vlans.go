package store

import (
	"context"
	"database/sql"

	"example.net/everypost/internal/core/network"
)

// VLANRecord is what people say of a VLAN.
type VLANRecord struct {
	ID                network.VLANID
	Purpose           string
	Subnets, Gateways string // separated by commas
	Wanted            string // a selector of the devices to which it must be carried
}

// VLANRecords lists what is said of VLANs, by number.
func (s *Store) VLANRecords(ctx context.Context) ([]VLANRecord, error) {
	return list(ctx, s.read, func(r *sql.Rows) (v VLANRecord, err error) {
		return v, r.Scan(&v.ID, &v.Purpose, &v.Subnets, &v.Gateways, &v.Wanted)
	}, `SELECT id, purpose, subnets, gateways, wanted FROM vlans ORDER BY id`)
}

// PutVLANRecord keeps what is said of a VLAN; with nothing to say it is forgotten.
func (s *Store) PutVLANRecord(ctx context.Context, v VLANRecord) error {
	if v == (VLANRecord{ID: v.ID}) {
		_, err := s.write.ExecContext(ctx, `DELETE FROM vlans WHERE id = ?`, v.ID)
		return err
	}
	_, err := s.write.ExecContext(ctx, `INSERT INTO vlans (id, purpose, subnets, gateways, wanted) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT (id) DO UPDATE SET purpose = excluded.purpose, subnets = excluded.subnets, gateways = excluded.gateways, wanted = excluded.wanted`,
		v.ID, v.Purpose, v.Subnets, v.Gateways, v.Wanted)
	return err
}
