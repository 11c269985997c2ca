package server

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	v1 "example.net/everypost/internal/api/v1"
	"example.net/everypost/internal/core/network"
	"example.net/everypost/internal/core/rights"
	"example.net/everypost/internal/service/firmware"
	"example.net/everypost/internal/store"
)

var (
	seeFirmware        = may(rights.See, rights.Firmware)
	administerFirmware = may(rights.Administer, rights.Firmware)
)

// imagePath is where images are sent to.
const imagePath = "/api/v1/firmware/images"

// imageTime bounds how long somebody may take to send an image.
const imageTime = 2 * time.Hour

// imageBody is the file of an image, which is read while it comes in.
type imageBody struct{ file io.Reader }

// Resolve implements huma.Resolver.
func (b *imageBody) Resolve(ctx huma.Context) []error {
	b.file = ctx.BodyReader()
	_ = ctx.SetReadDeadline(time.Now().Add(imageTime))
	return nil
}

func (s *server) firmwareRoutes(api huma.API) {
	register(s, api, seeFirmware, http.MethodGet, "/firmware/images", "list-images", "The firmware in the library, the newest first",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.Image]], error) {
			list, err := s.Store.Images(ctx)
			if err != nil {
				return nil, err
			}
			out := []v1.Image{}
			for _, i := range list {
				one, err := s.imageOut(ctx, i.Number)
				if err != nil {
					return nil, err
				}
				out = append(out, one)
			}
			return listOf(out, func(i v1.Image) v1.Image { return i }), nil
		})
	registerOctets(s, api, administerFirmware, http.MethodPost, "/firmware/images", "add-image", "Add firmware to the library: the file of an image, as it is",
		func(ctx context.Context, in *imageBody) (*body[v1.Image], error) {
			var i store.Image
			err := s.act(ctx, "add-image", "", s.wholeNetwork(ctx, administerFirmware), func(by string) (err error) {
				i, err = s.Firmware.Add(ctx, in.file, by)
				return err
			})
			if err != nil {
				return nil, err
			}
			out, err := s.imageOut(ctx, i.Number)
			return &body[v1.Image]{out}, err
		})
	type imageAct struct {
		NumberPath
		Body v1.ImageAct
	}
	register(s, api, administerFirmware, http.MethodPost, "/firmware/images/{number}/acts", "act-on-image", "Have devices be given an image, or no more",
		func(ctx context.Context, in *imageAct) (*body[v1.Image], error) {
			err := s.act(ctx, in.Body.Act+"-image", fmt.Sprint(in.Number), s.wholeNetwork(ctx, administerFirmware), func(by string) error {
				if in.Body.Act == "withdraw" {
					return s.Firmware.Withdraw(ctx, in.Number)
				}
				return s.Firmware.Approve(ctx, in.Number, by, in.Body.Trust)
			})
			if err != nil {
				return nil, missing(err, fmt.Sprintf("image %d", in.Number))
			}
			out, err := s.imageOut(ctx, in.Number)
			return &body[v1.Image]{out}, err
		})
	register(s, api, administerFirmware, http.MethodDelete, "/firmware/images/{number}", "remove-image", "Forget an image",
		func(ctx context.Context, in *NumberPath) (*struct{}, error) {
			err := s.act(ctx, "remove-image", fmt.Sprint(in.Number), s.wholeNetwork(ctx, administerFirmware), func(string) error { return s.Firmware.Remove(ctx, in.Number) })
			return nil, missing(err, fmt.Sprintf("image %d", in.Number))
		})
	register(s, api, seeFirmware, http.MethodGet, "/firmware/baseline", "list-baseline", "Which firmware each model is to run",
		func(ctx context.Context, _ *struct{}) (*body[v1.List[v1.BaselineEntry]], error) {
			list, images, err := s.Firmware.Baseline(ctx)
			return listOf(list, func(e store.BaselineEntry) v1.BaselineEntry { return baselineOut(e, images[e.Image]) }), err
		})
	type ModelPath struct {
		Maker string `path:"maker" maxLength:"63"`
		Model string `path:"model" maxLength:"63"`
	}
	type baselineInput struct {
		ModelPath
		Body v1.BaselineRequest
	}
	register(s, api, administerFirmware, http.MethodPut, "/firmware/baseline/{maker}/{model}", "put-baseline", "Say which firmware a model is to run",
		func(ctx context.Context, in *baselineInput) (*body[v1.BaselineEntry], error) {
			var e store.BaselineEntry
			err := s.act(ctx, "put-baseline", fmt.Sprintf("%s %s: image %d", in.Maker, in.Model, in.Body.Image), s.wholeNetwork(ctx, administerFirmware), func(by string) (err error) {
				e, err = s.Firmware.SetBaseline(ctx, in.Maker, in.Model, in.Body.Image, by)
				return err
			})
			if err != nil {
				return nil, missing(err, fmt.Sprintf("image %d", in.Body.Image))
			}
			i, err := s.Store.Image(ctx, e.Image)
			return &body[v1.BaselineEntry]{baselineOut(e, i)}, err
		})
	register(s, api, administerFirmware, http.MethodDelete, "/firmware/baseline/{maker}/{model}", "drop-baseline", "Have a model be no part of the baseline",
		func(ctx context.Context, in *ModelPath) (*struct{}, error) {
			err := s.act(ctx, "drop-baseline", in.Maker+" "+in.Model, s.wholeNetwork(ctx, administerFirmware), func(string) error { return s.Store.DropBaseline(ctx, in.Maker, in.Model) })
			return nil, missing(err, "a baseline of "+in.Maker+" "+in.Model)
		})
	type devicesQuery struct {
		Where string `query:"where" maxLength:"4000" doc:"A selector: which devices"`
		Miss  bool   `query:"miss" doc:"Only those that do not run what they are to run"`
	}
	register(s, api, seeFirmware, http.MethodGet, "/firmware/devices", "list-device-firmware", "What devices run, and how it stands towards the baseline",
		func(ctx context.Context, in *devicesQuery) (*body[v1.List[v1.DeviceFirmware]], error) {
			names, err := s.namesAsked(ctx, in.Where, seeFirmware)
			if err != nil {
				return nil, err
			}
			list, err := s.Firmware.Devices(ctx, names)
			out := []v1.DeviceFirmware{}
			for _, d := range list {
				if !in.Miss || d.Standing == firmware.Behind || d.Standing == firmware.Ahead {
					out = append(out, deviceFirmwareOut(d))
				}
			}
			return listOf(out, func(d v1.DeviceFirmware) v1.DeviceFirmware { return d }), err
		})
}

func (s *server) imageOut(ctx context.Context, number int64) (v1.Image, error) {
	i, trusted, err := s.Firmware.Image(ctx, number)
	return v1.Image{Number: i.Number, Maker: i.Maker, Models: i.Models, Version: i.Version, SizeOctets: i.Size, SHA256: i.SHA256, Signer: i.Signer, Trusted: trusted, Notes: i.Notes,
		AddedAt: i.AddedAt, AddedBy: i.AddedBy, ApprovedAt: momentOf(i.ApprovedAt), ApprovedBy: i.ApprovedBy}, err
}

func baselineOut(e store.BaselineEntry, i store.Image) v1.BaselineEntry {
	return v1.BaselineEntry{Maker: e.Maker, Model: e.Model, Image: e.Image, Version: i.Version, SetAt: e.SetAt, SetBy: e.SetBy}
}

func deviceFirmwareOut(d firmware.Device) v1.DeviceFirmware {
	return v1.DeviceFirmware{Device: d.Name, Maker: d.Identity.Maker, Model: d.Identity.Model, Runs: d.Identity.Firmware, Standing: string(d.Standing), Baseline: d.Image.Version, Able: d.Able,
		Slots: append([]network.FirmwareSlot{}, d.Slots...)}
}
