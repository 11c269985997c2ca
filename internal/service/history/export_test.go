package history

// Remembers tells whether anything of the readings of a device is kept in mind.
func (h *Service) Remembers(device string) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	for k := range h.sources {
		if k.device == device {
			return true
		}
	}
	return false
}
