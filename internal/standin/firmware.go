package standin

import (
	"bytes"
	"context"
	"crypto/ed25519"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"io/fs"
	"os"
	"path"
	"strings"
	"sync"
	"time"

	"github.com/pkg/sftp"

	"example.net/everypost/internal/wire/image"
	"example.net/everypost/internal/wire/netconf"
	"example.net/everypost/internal/wire/xmlnode"
)

// slot is a place for firmware in a device.
type slot struct {
	Version string `json:"version,omitempty"`
	Broken  bool   `json:"broken,omitempty"` // what is in it does not come up
	Failed  bool   `json:"failed,omitempty"` // that was seen
}

// slots are those of a device.
type slots struct {
	Of     [2]slot `json:"of"`
	Active int     `json:"active"`
}

var slotNames = [2]string{"a", "b"}

// brokenImage begins the software of an image that does not come up.
const brokenImage = "broken\n"

// makerKey is the key with which a maker of the made-up world signs its firmware.
func makerKey(maker string) ed25519.PrivateKey {
	seed := sha256.Sum256([]byte("firmware of " + maker))
	return ed25519.NewKeyFromSeed(seed[:])
}

// MakeImage writes an image of so many octets, as the maker that it names would release it. A broken one is well signed, and does not come up.
func MakeImage(w io.Writer, h image.Header, size int, broken bool) error {
	software := make([]byte, max(size, len(brokenImage)))
	block := sha256.Sum256([]byte(h.Maker + h.Version))
	for i := range software {
		if i%len(block) == 0 {
			block = sha256.Sum256(block[:])
		}
		software[i] = block[i%len(block)]
	}
	if broken {
		copy(software, brokenImage)
	}
	return image.Write(w, h, software, makerKey(h.Maker))
}

// firmwareOf names what is saved of the slots of a device.
func firmwareOf(device string) string { return device + ".firmware" }

// loadSlots has a device have what was saved of its slots.
func (d *device) loadSlots() {
	d.slots = slots{Of: [2]slot{{Version: d.spec.Firmware}, {}}}
	if d.world.opts.Load != nil {
		if saved := d.world.opts.Load(firmwareOf(d.spec.Name)); len(saved) > 0 && json.Unmarshal(saved, &d.slots) == nil && d.slots.Active&^1 == 0 {
			d.spec.Firmware = d.slots.Of[d.slots.Active].Version
			return
		}
	}
}

func (d *device) saveSlots() {
	if d.world.opts.Save != nil {
		b, _ := json.Marshal(d.slots)
		_ = d.world.opts.Save(firmwareOf(d.spec.Name), b)
	}
}

// slotsState tells what is in the slots.
func (d *device) slotsState(own *xmlnode.Node) {
	x := in("ep-dev")
	for i, s := range d.slots.Of {
		state := "standby"
		switch {
		case i == d.slots.Active:
			state = "running"
		case s.Version == "":
			state = "empty"
		case s.Failed:
			state = "failed"
		}
		n := x.node("firmware-slot", x.leaf("name", slotNames[i]), x.leaf("state", state))
		if s.Version != "" {
			n.Add(x.leaf("version", s.Version))
		}
		own.Add(n)
	}
}

// bootSlot starts the device again with what is in a slot, or, where that does not come up, with what it ran.
func (d *device) bootSlot(which int) {
	d.loseMemory()
	takes := time.Duration(max(d.spec.BootSeconds, 2)) * time.Second
	if s := &d.slots.Of[which]; s.Broken {
		s.Failed = true
		takes *= 2
	} else {
		d.slots.Active = which
		d.spec.Firmware = s.Version
	}
	d.saveSlots()
	d.boot(d.world.clock.now(), takes)
	d.world.settle()
}

// beginBoot answers the request to boot a slot.
func (d *device) beginBoot(how *xmlnode.Node) error {
	for i, name := range slotNames {
		if name != how.TextAt("slot") {
			continue
		}
		if d.slots.Of[i].Version == "" {
			return netconf.NewRPCError(netconf.TagInvalidValue, "", "slot %s is empty", name)
		}
		d.tells(happening{severityAll, "SYSTEM", "the device restarts from slot " + name + ", as it was told", "", ""})
		d.world.after(300*time.Millisecond, func() { d.bootSlot(i) })
		return nil
	}
	return netconf.NewRPCError(netconf.TagInvalidValue, "", "there is no slot %q", how.TextAt("slot"))
}

// beginInstall answers the request to put a file into the slot that does not run.
func (d *device) beginInstall(t *task, how *xmlnode.Node) error {
	name := how.TextAt("file")
	file := d.inbox.take(name)
	if file == nil {
		return netconf.NewRPCError(netconf.TagInvalidValue, "", "there is no file %q", name)
	}
	spare := 1 - d.slots.Active
	fail := func(why string) {
		d.slots.Of[spare] = slot{}
		d.saveSlots()
		d.end(t, "failed", why)
	}
	steps := []struct {
		say string
		do  func() string
	}{
		{"checking the file", func() string {
			if sum := sha256.Sum256(file); hex.EncodeToString(sum[:]) != how.TextAt("sha256") {
				return "the checksum of the file differs"
			}
			return ""
		}},
		{"checking the signature", func() string {
			h, err := image.Read(bytes.NewReader(file), io.Discard)
			switch {
			case err != nil:
				return err.Error()
			case h.Signer() != signerOf(d.spec.Maker):
				return "the image is not signed by " + d.spec.Maker
			case !h.Fits(d.spec.Maker, d.spec.Model):
				return "the image is for " + strings.Join(h.Models, ", ") + ", and this is a " + d.spec.Model
			}
			return ""
		}},
		{"writing slot " + slotNames[spare], func() string {
			var software bytes.Buffer
			h, err := image.Read(bytes.NewReader(file), &software)
			if err != nil {
				return err.Error()
			}
			d.slots.Of[spare] = slot{Version: h.Version, Broken: bytes.HasPrefix(software.Bytes(), []byte(brokenImage))}
			d.saveSlots()
			return ""
		}},
	}
	d.each(t, len(steps), 200*time.Millisecond, func(i int) bool {
		d.say(t, "step", steps[i].say)
		if why := steps[i].do(); why != "" {
			fail(why)
			return false
		}
		return true
	})
	return nil
}

func signerOf(maker string) string {
	var b bytes.Buffer
	_ = MakeImage(&b, image.Header{Maker: maker, Models: []string{"X"}, Version: "1"}, 1, false)
	h, _ := image.Read(&b, io.Discard)
	return h.Signer()
}

// flash tells how much of the memory for files is taken, and how much there is, in octets: two slots of firmware, what it runs, and files.
func (d *device) flash() (used, size int64) {
	const slot, own = 190 << 20, 3 << 20
	d.inbox.mu.Lock()
	defer d.inbox.mu.Unlock()
	used = 2*slot + own + int64(hashOf(d.spec.Name)%64)<<20
	for _, f := range d.inbox.files {
		used += f.Size()
	}
	return used, 1 << 30
}

// inbox is where a device keeps the files that it is sent, until it is told what to do with them or loses power.
type inbox struct {
	mu    sync.Mutex
	files map[string]*inFile
	rate  int // octets each second that it takes; 0: as they come
}

// inFile is a file that comes in.
type inFile struct {
	box  *inbox
	name string
	mu   sync.Mutex
	data []byte
	at   time.Time
}

// maxInbox is how large a file may be.
const maxInbox = 256 << 20

// WriteAt implements io.WriterAt.
func (f *inFile) WriteAt(p []byte, off int64) (int, error) {
	if f.box.rate > 0 {
		time.Sleep(time.Duration(len(p)) * time.Second / time.Duration(f.box.rate))
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	end := off + int64(len(p))
	if off > int64(len(f.data)) || end > maxInbox {
		return 0, sftp.ErrSSHFxFailure
	}
	if end > int64(len(f.data)) {
		f.data = append(f.data, make([]byte, end-int64(len(f.data)))...)
	}
	f.at = time.Now()
	return copy(f.data[off:], p), nil
}

// Name implements fs.FileInfo, as do those that follow.
func (f *inFile) Name() string { return f.name }

// Size is how much of it is there.
func (f *inFile) Size() int64 {
	f.mu.Lock()
	defer f.mu.Unlock()
	return int64(len(f.data))
}

// Mode is that of a file for its owner.
func (f *inFile) Mode() fs.FileMode { return 0o600 }

// ModTime is when it was written last.
func (f *inFile) ModTime() time.Time {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.at
}

// IsDir tells that it is none.
func (f *inFile) IsDir() bool { return false }

// Sys is nothing.
func (f *inFile) Sys() any { return nil }

// take takes a file out.
func (b *inbox) take(name string) []byte {
	b.mu.Lock()
	f := b.files[name]
	delete(b.files, name)
	b.mu.Unlock()
	if f == nil {
		return nil
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.data
}

// empty forgets all files.
func (b *inbox) empty() {
	b.mu.Lock()
	defer b.mu.Unlock()
	clear(b.files)
}

// put has a file be there.
func (b *inbox) put(name string, data []byte) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.files == nil {
		b.files = map[string]*inFile{}
	}
	b.files[name] = &inFile{box: b, name: name, data: data, at: time.Now()}
}

// Fileread implements sftp.FileReader.
func (b *inbox) Fileread(r *sftp.Request) (io.ReaderAt, error) {
	b.mu.Lock()
	f := b.files[path.Base(r.Filepath)]
	b.mu.Unlock()
	if f == nil {
		return nil, os.ErrNotExist
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	return bytes.NewReader(bytes.Clone(f.data)), nil
}

// Filewrite implements sftp.FileWriter.
func (b *inbox) Filewrite(r *sftp.Request) (io.WriterAt, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	name := path.Base(r.Filepath)
	if b.files == nil {
		b.files = map[string]*inFile{}
	}
	if b.files[name] == nil || r.Pflags().Trunc {
		if len(b.files) >= 8 {
			return nil, sftp.ErrSSHFxFailure
		}
		b.files[name] = &inFile{box: b, name: name}
	}
	return b.files[name], nil
}

// Filecmd implements sftp.FileCmder.
func (b *inbox) Filecmd(r *sftp.Request) error {
	switch r.Method {
	case "Setstat":
		return nil
	case "Remove":
		if b.take(path.Base(r.Filepath)) == nil {
			return os.ErrNotExist
		}
		return nil
	}
	return sftp.ErrSSHFxOpUnsupported
}

// Filelist implements sftp.FileLister.
func (b *inbox) Filelist(r *sftp.Request) (sftp.ListerAt, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	var out infos
	if r.Method == "List" {
		for _, f := range b.files {
			out = append(out, f)
		}
		return out, nil
	}
	f := b.files[path.Base(r.Filepath)]
	if f == nil {
		if r.Filepath == "/" {
			return infos{rootDir{}}, nil
		}
		return nil, os.ErrNotExist
	}
	return infos{f}, nil
}

// rootDir is the one folder that there is.
type rootDir struct{}

func (rootDir) Name() string       { return "/" }
func (rootDir) Size() int64        { return 0 }
func (rootDir) Mode() fs.FileMode  { return fs.ModeDir | 0o700 }
func (rootDir) ModTime() time.Time { return time.Time{} }
func (rootDir) IsDir() bool        { return true }
func (rootDir) Sys() any           { return nil }

type infos []fs.FileInfo

// ListAt implements sftp.ListerAt.
func (l infos) ListAt(to []fs.FileInfo, from int64) (int, error) {
	if from >= int64(len(l)) {
		return 0, io.EOF
	}
	n := copy(to, l[from:])
	if n < len(to) {
		return n, io.EOF
	}
	return n, nil
}

// takeFiles serves a channel by which files come.
func (d *device) takeFiles(_ context.Context, ch io.ReadWriteCloser, user string) {
	d.world.mu.Lock()
	err := d.mayDo(user, "commit")
	d.world.mu.Unlock()
	if err != nil {
		return
	}
	s := sftp.NewRequestServer(ch, sftp.Handlers{FileGet: d.inbox, FilePut: d.inbox, FileCmd: d.inbox, FileList: d.inbox})
	_ = s.Serve()
	_ = s.Close()
}
