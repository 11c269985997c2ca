package server

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/driver"
	"example.net/everypost/internal/service/captures"
	"example.net/everypost/internal/store"
)

// operateTests is what it takes to see what stations said, besides to ask for it.
var operateTests = may(rights.Operate, rights.Tests)

// octets is an answer that is a file.
type octets struct {
	ContentType string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

func fileOut(kind, name string, content []byte) *octets {
	return &octets{ContentType: kind, Disposition: fmt.Sprintf("attachment; filename=%q", name), Body: content}
}

func (s *server) captureRoutes(api huma.API) {
	// captured are the operations that a list of numbers names, if who makes the request may see what stations said there.
	captured := func(ctx context.Context, numbers []int64) (out []store.Operation, err error) {
		for _, n := range numbers {
			o, err := s.seenOperation(ctx, n)
			if err != nil {
				return nil, err
			}
			if err := s.onDevice(ctx, operateTests, o.Device); err != nil {
				return nil, err
			}
			out = append(out, o)
		}
		return out, nil
	}
	type framesQuery struct {
		Of     []int64 `query:"of" minItems:"1" maxItems:"8" doc:"Numbers of operations; of several, their frames are merged"`
		Find   string  `query:"find" maxLength:"200" doc:"Only frames in whose line this stands"`
		Offset int     `query:"offset" minimum:"0" maximum:"1000000"`
		Limit  int     `query:"limit" minimum:"1" maximum:"1000" default:"200"`
	}
	register(s, api, operateTests, http.MethodGet, "/captures/frames", "list-frames", "The frames that devices captured",
		func(ctx context.Context, in *framesQuery) (*body[v1.Frames], error) {
			of, err := captured(ctx, in.Of)
			if err != nil {
				return nil, err
			}
			frames, total, more, err := s.Captures.Page(ctx, of, in.Find, in.Offset, in.Limit)
			out := v1.Frames{Items: []v1.Frame{}, Total: total, More: more}
			for _, f := range frames {
				out.Items = append(out.Items, frameOut(f))
			}
			return &body[v1.Frames]{out}, err
		})
	type fileQuery struct {
		Of []int64 `query:"of" minItems:"1" maxItems:"8" doc:"Numbers of operations; of several, their frames are merged"`
	}
	register(s, api, operateTests, http.MethodGet, "/captures/file", "get-capture-file", "The frames that devices captured, as a file (pcapng)",
		func(ctx context.Context, in *fileQuery) (*octets, error) {
			of, err := captured(ctx, in.Of)
			if err != nil {
				return nil, err
			}
			file, err := s.Captures.File(ctx, of)
			if err != nil {
				return nil, err
			}
			names := make([]string, len(of))
			for i, o := range of {
				names[i] = strconv.FormatInt(o.Number, 10)
			}
			s.audit(ctx, person(ctx).Name, "get-capture", strings.Join(names, ", "), "done")
			return fileOut("application/vnd.tcpdump.pcap", "capture-"+strings.Join(names, "-")+".pcapng", file), nil
		})
}

func frameOut(f captures.Frame) v1.Frame {
	way := "out"
	if f.In {
		way = "in"
	}
	return v1.Frame{At: f.At, On: f.On, Way: way, Octets: f.Length, VLAN: f.VLAN, From: f.From, To: f.To, Protocol: f.Protocol, Info: f.Info}
}

// maxFile bounds a file that is fetched of a device for somebody.
const maxFile = 64 << 20

func (s *server) deviceFileRoutes(api huma.API) {
	type devicePath struct {
		Name string `path:"name" maxLength:"63"`
	}
	type filePath struct {
		Name string `path:"name" maxLength:"63"`
		File string `path:"file" maxLength:"120"`
	}
	operateDevices := may(rights.Operate, rights.Devices)
	register(s, api, operateDevices, http.MethodGet, "/devices/{name}/files", "list-device-files", "The files that a device has",
		func(ctx context.Context, in *devicePath) (*body[v1.List[v1.DeviceFile]], error) {
			if err := s.onDevice(ctx, operateDevices, in.Name); err != nil {
				return nil, err
			}
			list, err := s.Fleet.Files(ctx, in.Name)
			return listOf(list, func(f driver.File) v1.DeviceFile {
				return v1.DeviceFile{Name: f.Name, Octets: f.Size, ChangedAt: f.ChangedAt}
			}), err
		})
	register(s, api, operateDevices, http.MethodGet, "/devices/{name}/files/{file}", "get-device-file", "A file of a device",
		func(ctx context.Context, in *filePath) (*octets, error) {
			var content []byte
			err := s.act(ctx, "get-device-file", in.Name+" "+in.File, s.onDevice(ctx, operateDevices, in.Name), func(string) (err error) {
				content, err = s.Fleet.GetFile(ctx, in.Name, in.File, maxFile)
				return noFile(err, in.Name, in.File)
			})
			return fileOut("application/octet-stream", in.File, content), err
		})
	type sentFile struct {
		Name    string `path:"name" maxLength:"63"`
		File    string `path:"file" maxLength:"120"`
		RawBody []byte `contentType:"application/octet-stream"`
	}
	register(s, api, operateDevices, http.MethodPut, "/devices/{name}/files/{file}", "put-device-file", "Send a file to a device, in the place of one of its name",
		func(ctx context.Context, in *sentFile) (*struct{}, error) {
			return nil, s.act(ctx, "put-device-file", in.Name+" "+in.File, s.onDevice(ctx, operateDevices, in.Name), func(string) error {
				if err := s.Fleet.RemoveFile(ctx, in.Name, in.File); err != nil { // what is there would be taken for its begin
					var refusal *driver.Refusal
					if !errors.As(err, &refusal) {
						return err
					}
				}
				return s.Fleet.PutFile(ctx, in.Name, in.File, bytes.NewReader(in.RawBody), int64(len(in.RawBody)), func(int64) {})
			})
		})
	register(s, api, operateDevices, http.MethodDelete, "/devices/{name}/files/{file}", "remove-device-file", "Remove a file of a device",
		func(ctx context.Context, in *filePath) (*struct{}, error) {
			return nil, s.act(ctx, "remove-device-file", in.Name+" "+in.File, s.onDevice(ctx, operateDevices, in.Name), func(string) error {
				return noFile(s.Fleet.RemoveFile(ctx, in.Name, in.File), in.Name, in.File)
			})
		})
}

// noFile tells that a device has no file of a name, where that is why.
func noFile(err error, device, file string) error {
	if errors.Is(err, fs.ErrNotExist) {
		err = store.ErrNotFound
	}
	return missing(err, fmt.Sprintf("file %q of %s", file, device))
}
