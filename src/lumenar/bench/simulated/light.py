"""The simulated unit: from a signal to light, along the path a real display takes."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.bench.ports import ControlValue, Entered, RefusedError, Wanted, enter_by_steps
from lumenar.bench.simulated import tone_map
from lumenar.bench.simulated.behaviour import Panel, lit_share, place, shading
from lumenar.bench.simulated.decoding import Decoder
from lumenar.bench.simulated.feature import Automatic
from lumenar.bench.simulated.shaping import number_of, pointed, shadows_lifted, turned
from lumenar.bench.simulated.unit_controls import DECODES, FORCED, ON_AXES, UnitControl
from lumenar.bench.simulated.unit_file import Band, Behaviour, Leak, ToneMap, UnitFile, UnitMode
from lumenar.core.colour import spaces, spectra, transfer
from lumenar.core.host_report import HostReport
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import WORDS, Metadata, Signal, SignalFormat
from lumenar.core.targets import TARGETS

Array = NDArray[np.float64]
CHANNELS = ("red", "green", "blue")
HEADROOM = 1.09
"""Signal of the highest code of limited range, where white is 1."""


def _bands(bands: list[Band]) -> Array:
    return spectra.gaussians([b.peak_nm for b in bands], [b.width_nm for b in bands], [b.height for b in bands])


@dataclass
class SimulatedUnit:
    """A unit with its menu's present state. Deterministic: the same state and patch give the same light."""

    file: UnitFile
    mode: UnitMode = field(init=False)
    values: dict[str, dict[str, ControlValue]] = field(init=False)
    behaviour: Behaviour = field(init=False)
    panel: Panel = field(init=False)
    signal: Signal | None = None
    """What is sent to it, None where that plays no part: then any mode can be entered."""
    metadata: Metadata | None = None
    lux: float = 0.0
    """Light of the room at the screen and its sensor."""
    powered: bool = True
    format: SignalFormat | None = None
    """What is sent, as the source says; `signal` and `metadata` are what the unit takes it for."""
    leak: Leak | None = None
    """What an SDR mode that was left active does to the present signal."""

    def __post_init__(self) -> None:
        shapes = np.stack([_bands(getattr(self.file.light, c)) for c in CHANNELS])
        XYZ = spectra.spectrum_to_XYZ(shapes)
        # Scale the channels so that together they make the native white at peak luminance.
        white = spaces.xy_to_XYZ(self.file.light.native_white_xy, self.file.light.peak_cd_m2)
        amounts = np.linalg.solve(XYZ.T, white)
        if np.any(amounts <= 0):
            raise ValueError("light.native_white_xy: the channels' spectra cannot make this white")
        # What the maker's electronics believe of the panel; a sample's light is spread about it.
        self.native_matrix = spectra.spectrum_to_XYZ(shapes * amounts[:, None]).T / self.file.light.peak_cd_m2
        amounts, self.behaviour = self._spread(np.asarray(amounts, float))
        self.channel_spectra = shapes * amounts[:, None]
        self.channel_XYZ = spectra.spectrum_to_XYZ(self.channel_spectra)
        self.panel = Panel(self.behaviour)
        self.reset()

    def _spread(self, amounts: Array) -> tuple[Array, Behaviour]:
        """Channels and behaviour of this sample: the first is as the file says, others differ as real samples do."""
        b = self.file.behaviour
        if self.file.nominal or not self.file.spread:
            return amounts, b
        rng = np.random.default_rng([self.file.seed, 77])
        channels = 1 + self.file.spread * rng.standard_normal(3)
        falloff = float(np.clip(b.edge_falloff + 2 * self.file.spread * rng.standard_normal(), 0, 0.9))
        corner = (float(rng.choice([-1, 1])), float(rng.choice([-1, 1])))
        return amounts * channels, b.model_copy(update={"edge_falloff": falloff, "tint_corner": corner})

    def reset(self) -> None:
        """Factory state: the first mode for what is sent, every control at its default."""
        self._hdr_since: float | None = None
        self._known: dict[tuple[float, float, float], Array] = {}
        self._matrix: Array | None = None
        self._by_effect: dict[str, list[tuple[UnitControl, ControlValue]]] | None = None
        self._does: Automatic | None = None
        self._go_to(next((m for m in self.file.modes if m.signal == self.signal), self.file.modes[0]))
        self.values = {m.name: self.file.defaults(m) for m in self.file.modes}
        if self.format is not None:
            self._take(self._decoder.taken(self.format))

    def select(self, mode: str) -> None:
        """Enter a mode; RefusedError where there is none of that name."""
        self._forget()
        try:
            wanted = self.file.mode(mode)
        except KeyError as e:
            raise RefusedError(str(e.args[0])) from e
        if self.signal not in (None, wanted.signal):
            raise RefusedError(
                f"{mode} is a mode for {WORDS[wanted.signal]}, and {WORDS[self.signal or 'sdr']} is sent"
            )
        self._go_to(wanted)

    def _go_to(self, mode: UnitMode) -> None:
        """Another mode: with the way in which the panel is driven in it."""
        self.mode = mode
        own = self.mode.tone_map
        named = ("area_limit", "load_depth", "load_tau_s")
        changed = {n: v for n in named if own is not None and (v := getattr(own, n)) is not None}
        self.panel.behaviour = self.behaviour.model_copy(update=changed) if changed else self.behaviour

    def receive(self, format: SignalFormat) -> None:
        """Another signal comes in: the unit goes to its first mode for it, unless it is in one. RefusedError where it has
        none."""
        if all(m.signal != format.transfer for m in self.file.modes):
            raise RefusedError(f"the simulated display shows no {WORDS[format.transfer]}")
        changed = self.format is None or self.format.content != format.content
        self.format = format
        self._take(self._decoder.taken(format))
        if format.content and changed:
            own = (m for m in self.file.modes if m.signal == self.signal and m.entered_by == format.content)
            if (mode := next(own, None)) is not None and mode != self.mode:
                self._forget()
                self._go_to(mode)

    def _take(self, signal: Signal) -> None:
        """Another signal is shown: the unit goes to its first mode for it, unless it is in one."""
        sent = self.format.metadata if self.format is not None and signal == "pq" else None
        metadata = self._decoder.metadata(sent)
        if (signal, metadata) == (self.signal, self.metadata):
            return
        self._forget()
        if signal != self.signal:
            self._hdr_since = None
            self.leak = self._leak_into(signal)
        self.signal, self.metadata = signal, metadata
        if self.mode.signal != self.signal:
            self._go_to(next(m for m in self.file.modes if m.signal == self.signal))

    @property
    def _decoder(self) -> Decoder:
        return Decoder(self.file, self.values[self.mode.name])

    def informed(self) -> SignalFormat | None:
        """What the unit says it shows."""
        if self.format is None or self.signal is None:
            return None
        return replace(self.format, transfer=self.signal, metadata=self.metadata)

    def reported(self) -> HostReport | None:
        """What the host believes it to reach in the present mode."""
        r = self.mode.reports
        return None if r is None else HostReport(r.max_cd_m2, r.full_cd_m2, r.min_cd_m2)

    def armed(self, wanted: Wanted) -> Wanted | None:
        """What has to be entered before a signal other than SDR is sent, None where it stands already."""
        now = self.values[self.mode.name]
        first = {
            c.path: wanted.values[c.path]
            for c in self.file.controls
            if c.when and c.path in wanted.values and wanted.values[c.path] != now[c.path]
        }
        return Wanted("", first) if first else None

    def illuminate(self, lux: float) -> None:
        """The room has another light; its sensor sees it."""
        self._forget()
        self.lux = lux

    def power(self, on: bool) -> None:
        """On or off; its menu stays as it is."""
        self.powered = on

    @property
    def automatic(self) -> Automatic:
        """What its features do at present."""
        if self._does is None:
            self._does = Automatic()
            now, by_path = self.values[self.mode.name], {c.path: c for c in self.file.controls}
            for f in self.file.features:
                c = by_path[f.control]
                self._does.add(f, f.amount(now[f.control], c.minimum, c.maximum, self.lux))
        return self._does

    @property
    def stray(self) -> Array | None:
        """Spectral radiance (81,) of the room's light that the screen throws back: of a matt surface, E / pi times its
        reflectance; even over wavelengths. None in the dark."""
        Y = self.file.light.reflectance * self.lux / np.pi
        if not Y:
            return None
        even = np.ones(len(spectra.WAVELENGTHS))
        return np.asarray(even * (Y / spectra.spectrum_to_XYZ(even)[1]), float)

    def _leak_into(self, signal: Signal) -> Leak | None:
        """What the present mode does to another signal; between PQ and HLG it stays as it is."""
        if signal == "sdr":
            return None
        if self.mode.signal != "sdr":
            return self.leak
        own = (x for x in self.file.leaks if x.mode == self.mode.name and x.firmware in (None, self.file.firmware))
        return next(own, None)

    def enter(self, wanted: Wanted) -> Entered:
        """Enter a whole state; what stands there then, of every control."""
        enter_by_steps(self, wanted)
        greyed = frozenset(c.path for c in self.file.controls if self.locked(c.path))
        return Entered(self.mode.name, dict(self.values[self.mode.name]), greyed)

    def locked(self, control: str) -> str | None:
        """Why a control cannot be set now, None where it can."""
        if control in self.mode.locks:
            return f"{control} is locked in the mode {self.mode.name}"
        if self.mode.signal != "sdr" and any(c.path == control and c.when == "sdr" for c in self.file.controls):
            return f"{control} can be set only while SDR shows"
        now = self.values[self.mode.name]
        for other in self.file.controls:
            if control in other.locks.get(str(now[other.path]), ()):
                return f"{control} is locked while {other.path} is {now[other.path]}"
        return None

    def apply(self, control: str, value: ControlValue) -> None:
        """Set a control in the present mode, or in all modes where its scope says so. RefusedError where it is locked,
        unknown or the value out of range. Setting what it is already changes nothing and resets nothing."""
        entry = next((c for c in self.file.controls if c.path == control), None)
        if entry is None:
            raise RefusedError(f"the menu has no entry {control!r}")
        if value == self.values[self.mode.name][control]:
            return
        if reason := self.locked(control):
            raise RefusedError(reason)
        try:
            entry.check(value)
        except ValueError as e:
            raise RefusedError(str(e)) from e
        self._forget()
        modes = [self.mode.name] if entry.scope == "mode" else list(self.values)
        for name in modes:
            self.values[name][control] = value
            for path in entry.resets:
                self.values[name][path] = self.file.defaults(self.file.mode(name))[path]
        if self.format is not None and entry.effect in (*DECODES, *FORCED):
            self._take(self._decoder.taken(self.format))

    def _forget(self) -> None:
        """The menu's state changed: what was computed for it no longer holds."""
        self._known.clear()
        self._matrix = self._by_effect = self._does = None

    def _driven(self, rgb: tuple[float, float, float]) -> Array:
        """`drive` of one signal, kept until the menu's state changes."""
        if rgb not in self._known:
            self._known[rgb] = self.drive(rgb)
        return self._known[rgb]

    def _controls(self, effect: str) -> list[tuple[UnitControl, ControlValue]]:
        """Every control with an effect and its value in the present mode."""
        if self._by_effect is None:
            now = self.values[self.mode.name]
            self._by_effect = {}
            for c in self.file.controls:
                self._by_effect.setdefault(c.effect, []).append((c, now[c.path]))
        return self._by_effect.get(effect, [])

    @property
    def backlight(self) -> float:
        """Share of full light that the luminance controls let out."""
        share = 1.0
        for control, value in self._controls("luminance"):
            if control.table:
                x, y = zip(*control.table, strict=True)
                share *= float(np.interp(float(value), x, y))
        return share

    @property
    def level(self) -> float:
        """Value of the luminance control in the present mode, 0 where there is none."""
        control = self.file.luminance_control
        return float(self.values[self.mode.name][control.path]) if control else 0.0

    @property
    def _full(self) -> float:
        """Luminance in cd/m2 of all channels at the top in the present mode."""
        return self.file.light.peak_cd_m2 * self._gain

    @property
    def _gain(self) -> float:
        """How much more light the panel is driven to in the present mode than without a tone map."""
        return self.mode.tone_map.gain if self.mode.tone_map else 1.0

    @property
    def believed_peak(self) -> float:
        """Luminance in cd/m2 of the brightest white of the target's colour that the panel can show at full light."""
        amounts = np.linalg.inv(self.native_matrix) @ spaces.BT2020.matrix.sum(axis=1)
        return float(self._full / amounts.max())

    def _absolute(self, V: Array) -> Array:
        """Light per channel of BT.2020 (..., 3) in cd/m2 that a PQ or HLG signal becomes at full light."""
        mapped = self.mode.tone_map or ToneMap()
        peak = mapped.peak_cd_m2 or self.believed_peak
        if lift := self.automatic.shadows + sum(self._moved(c, v) for c, v in self._controls("shadow")):
            V = shadows_lifted(V, lift)
        if boost := sum(self._moved(c, v) for c, v in self._controls("boost")):
            # Most in the middle of the codes, nothing at the ends.
            V = np.clip(V + 4 * boost * V * (1 - V), 0, 1)
        light = tone_map.light(V, self.mode.signal, mapped, peak, self.metadata)
        return tone_map.paled(light, mapped.desaturate, peak)

    def _native_of(self, V: Array) -> Array:
        """Linear native channels 0..1 (..., 3) of a PQ or HLG signal."""
        light = self._absolute(V)
        container = spaces.SPACES.get(self._decoder.told("decode_primaries"), spaces.BT2020)
        if self.leak is not None:
            light = light * (1 + self.leak.light)
        for name in (self.mode.clamp, self.leak.clamp if self.leak is not None else None):
            clamp = spaces.SPACES.get(name or "")
            if clamp is None:
                continue
            # Colours beyond the clamp are cut off at its edges.
            light = np.maximum(light @ (clamp.inverse @ container.matrix).T, 0)
            container = clamp
        if axes := [pair for effect in ON_AXES for pair in self._controls(effect)]:
            top = np.maximum(light.max(axis=-1, keepdims=True), 1e-9)
            light = top * turned(light / top, axes)
        light = light @ self._saturated().T
        return np.asarray(light / self._full @ (np.linalg.inv(self.native_matrix) @ container.matrix).T, float)

    def _curve(self, V: Array) -> Array:
        """Mode curve: signal to intended linear light. With headroom the signals above white have light of their own."""
        mode = self.mode
        if mode.headroom:
            V = V / HEADROOM
        if lift := self.automatic.shadows + sum(self._moved(c, v) for c, v in self._controls("shadow")):
            V = shadows_lifted(V, lift)
        if mode.curve_table is not None:
            x, y = zip(*mode.curve_table, strict=True)
            V = np.asarray(np.interp(V, np.asarray(x), np.asarray(y)), float)
        light = transfer.srgb(V) if mode.curve == "srgb" else transfer.power(V, mode.gamma or 1.0)
        for control, value in self._controls("tone"):
            default = self._default(control)
            steeper = number_of(control, value) - number_of(control, default)
            if steeper and control.by_choice:
                steeper = number_of(control, value) / number_of(control, default) - 1
            if steeper:
                # The mode's own curve stands at the mode's default.
                light = np.power(np.clip(light, 0, None), 1 + steeper)
        return np.asarray(light, float)

    def _default(self, control: UnitControl) -> ControlValue:
        """What a control ships with in the present mode."""
        return self.mode.defaults.get(control.path, control.default)

    def _moved(self, control: UnitControl, value: ControlValue) -> float:
        """How far a control is from what the mode ships with, in what it does."""
        return number_of(control, value) - number_of(control, self._default(control))

    def _to_native(self) -> Array:
        """Matrix from the mode's linear RGB to linear native channels."""
        profile = any(value == "on" for _, value in self._controls("profile"))
        space = TARGETS[self.mode.target].space if profile else spaces.SPACES.get(self.mode.clamp or "")
        if space is not None:
            # The clamp maps gamut and white; scaled so that the strongest channel of white is at its top.
            matrix = np.linalg.inv(self.native_matrix) @ space.matrix
            matrix = matrix / matrix.sum(axis=1).max()
        else:
            matrix = np.asarray(self.mode.matrix, float) if self.mode.matrix else np.eye(3)
        return np.asarray(matrix @ self._saturated(), float)

    def _saturated(self) -> Array:
        """Matrix (3, 3) of what the mode and its controls make of saturation."""
        saturation = self.mode.saturation * self.automatic.saturation
        for control, value in self._controls("saturation"):
            saturation *= float(value) / float(control.default)
        grey = np.full((3, 3), 1 / 3)
        return np.asarray(grey + saturation * (np.eye(3) - grey), float)

    def _gains(self, encoded: Array) -> Array:
        """White balance on the encoded drive: gains bend the bright end, offsets the dark end."""
        gain, offset = np.array(self.mode.white_gains, float), np.array(self.mode.shadow_gains, float)
        for control, value in self._controls("gain"):
            factor = 1 + (float(value) - float(control.default)) / 200
            if control.table:
                x, y = zip(*control.table, strict=True)
                factor = float(np.interp(float(value), x, y))
            gain[CHANNELS.index(str(control.channel))] *= factor
        for control, value in self._controls("offset"):
            offset[CHANNELS.index(str(control.channel))] += (float(value) - float(control.default)) / 1000
        for control, value in self._controls("contrast"):
            gain = gain * (float(value) / float(control.default))
        return np.asarray(encoded * gain + offset * (1 - encoded), float)

    def drive(self, rgb: ArrayLike) -> Array:
        """Linear native drive levels 0..1 (..., 3) for signals rgb (..., 3): 0..1, and beyond it where the signal has
        codes above white and below black."""
        light = self.file.light
        top = 2**light.input_bits - 1
        V = np.round(np.clip(np.asarray(rgb, float), 0, HEADROOM if self.mode.headroom else 1) * top) / top
        if self.mode.signal != "sdr":
            linear = np.clip(self._native_of(V), 0, 1)
        else:
            if self._matrix is None:
                self._matrix = self._to_native().T
            asked = self._curve(V)
            if axes := [pair for effect in ON_AXES for pair in self._controls(effect)]:
                asked = turned(asked, axes)
            linear = np.clip(asked @ self._matrix, 0, 1)
        encoded = np.power(linear, 1 / light.native_gamma)
        if points := self._controls("point"):
            encoded = pointed(encoded, points)
        # Black stays black: an offset lifts from the first step on.
        encoded = np.where(V.max(axis=-1, keepdims=True) > 0, self._gains(encoded), encoded)
        steps = 2**light.panel_bits - 1
        quantised = np.round(np.clip(encoded, 0, 1) * steps) / steps
        return np.asarray(np.power(quantised, light.native_gamma), float)

    def amounts(self, rgb: ArrayLike) -> Array:
        """Light of each channel (..., 3), 1 at full drive and full light, black leakage included."""
        return self._light(self.drive(rgb), 1.0, 1.0)

    def _light(self, drive: Array, gains: ArrayLike, backlight_share: float) -> Array:
        """Light of each channel (..., 3) at drive levels (..., 3). gains: factor per channel (..., 3) for the place on the
        screen; backlight_share: of the zone, for leakage."""
        leak = self.file.light.leakage * backlight_share
        drive = leak + (1 - leak) * drive
        # A white sub-pixel adds white light for what the three channels have in common; that breaks additivity.
        boost = self.behaviour.white_subpixel
        drive = drive + boost * drive.min(axis=-1, keepdims=True) if boost else drive
        return np.asarray(self.backlight * self._gain * drive * np.asarray(gains, float), float)

    def spectrum(self, rgb: ArrayLike) -> Array:
        """Spectral radiance (..., 81) on `spectra.WAVELENGTHS` in W/(sr m2 nm) of a small patch on a rested panel."""
        return np.asarray(self.amounts(rgb) @ self.channel_spectra, float)

    def XYZ(self, rgb: ArrayLike) -> Array:
        """True absolute XYZ (..., 3) in cd/m2 of a small patch on a rested, warm panel."""
        return np.asarray(self.amounts(rgb) @ self.channel_XYZ, float)

    def show(self, patch: Patch, now: float) -> None:
        """A patch goes on the screen at bench time `now`."""
        self._hold_hdr(now)
        light = float(self._driven(_own(patch, True)).mean())
        self.panel.show(replace(patch, at_s=None, repeat=0, reads="XYZ"), light * lit_share(patch), now)

    def _hold_hdr(self, now: float) -> None:
        """Some units lose HDR after a while, until it is sent anew."""
        after = self.behaviour.hdr_lost_after_s
        if not after or self.signal in (None, "sdr"):
            return
        if self._hdr_since is None:
            self._hdr_since = now
        elif now - self._hdr_since >= after:
            self._take("sdr")

    def seen(self, patch: Patch, now: float) -> Array:
        """Light of each channel (3,) that a meter sees of the patch at bench time `now`, with all that depends on area,
        time and place; times `channel_XYZ` or `channel_spectra` it is colour or spectrum."""
        if not self.powered:
            return np.zeros(3)
        drive = self._driven(_own(patch, False))
        own = float(drive.max())
        gains = shading(self.behaviour, place(patch), own)
        does = self.automatic
        if does.edge:
            gains = gains * (1 - does.edge * sum((2 * v - 1) ** 2 for v in place(patch)) / 2)
        light = self._light(drive, gains, self.panel.backlight_share(patch, own))
        if spill := self.panel.neighbour_light(patch):
            light = light + spill * self.amounts((1.0, 1.0, 1.0))
        left = does.factor(self.panel.stood_s(now), lit_share(patch))
        return np.asarray(self.panel.factor(now) * left * light, float)


def _own(patch: Patch, anywhere: bool) -> tuple[float, float, float]:
    """Signal at the meter's place, or of the patch's bright part."""
    if patch.pattern == "window":
        return patch.rgb
    return (1.0, 1.0, 1.0) if anywhere or patch.pattern == "checker" else (0.0, 0.0, 0.0)
