package history

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"example.net/everypost/internal/core/series"
)

// Of a thing that stands twice in a row of the log, as older logs may have it, the first counts.
func TestARowThatTellsOfAThingTwice(t *testing.T) {
	tab := &table{columns: map[int64][]int64{}}
	tab.add(1, []int64{7}, []int{2}, []int64{10, 11})
	tab.add(2, []int64{7, 8, 7}, []int{2, 1, 2}, []int64{20, 21, 5, 90, 91})
	tab.add(3, []int64{8}, []int{1}, []int64{6})
	assert.Equal(t, []int64{10, 20, series.Absent}, tab.column(7, 0))
	assert.Equal(t, []int64{11, 21, series.Absent}, tab.column(7, 1))
	assert.Equal(t, []int64{series.Absent, 5, 6}, tab.column(8, 0))
}
