"""The model view's camera: it circles round a target."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lucky_fern.core.arrays import F64, unit_rows

AXIS_VIEWS = {
    "front": (0.0, 0.0), "back": (180.0, 0.0), "right": (90.0, 0.0), "left": (-90.0, 0.0),
    "top": (0.0, 90.0), "bottom": (0.0, -90.0),
}  # fmt: skip


@dataclass(frozen=True)
class Camera:
    """Angles in degrees, lengths in model units; yaw 0 looks from +Z, yaw 90 from +X."""

    target: tuple[float, float, float] = (0.0, 0.0, 0.0)
    yaw: float = 30.0
    pitch: float = 18.0
    distance: float = 3.0
    field_deg: float = 32.0
    parallel: bool = False

    @property
    def axes(self) -> tuple[F64, F64, F64]:
        """Right, up and back (towards the eye) as unit vectors."""
        yaw, pitch = np.radians(self.yaw), np.radians(self.pitch)
        back = np.array([np.sin(yaw) * np.cos(pitch), np.sin(pitch), np.cos(yaw) * np.cos(pitch)])
        right = np.array([np.cos(yaw), 0.0, -np.sin(yaw)])
        return right, np.cross(back, right), back

    @property
    def eye(self) -> F64:
        return np.asarray(self.target) + self.axes[2] * self.distance

    def half_height(self) -> float:
        """Half of what is seen from top to bottom at the target, in model units."""
        return self.distance * float(np.tan(np.radians(self.field_deg) / 2))

    def units_a_pixel(self, points: F64, pixels_high: float) -> F64:
        """(N,) how many model units a pixel is at points (N, 3), on so high a picture; 0 behind the eye."""
        at_target = 2 * self.half_height() / max(pixels_high, 1.0)
        if self.parallel:
            return np.full(len(points), at_target)
        ahead = self.distance - (points - np.asarray(self.target)) @ self.axes[2]
        return np.asarray(np.maximum(ahead, 0.0) / self.distance * at_target)

    def view(self) -> F64:
        """(4, 4) world to eye space."""
        right, up, back = self.axes
        matrix = np.eye(4)
        matrix[:3, :3] = np.stack([right, up, back])
        matrix[:3, 3] = -matrix[:3, :3] @ self.eye
        return matrix

    def projection(self, aspect: float, radius: float) -> F64:
        """(4, 4) eye to clip space; ``radius`` is the size of what must not be cut off."""
        reach = self.distance + radius
        near, far = max(self.distance - radius, reach * 1e-3), reach + radius
        matrix = np.zeros((4, 4))
        if self.parallel:
            half = self.half_height()
            near = -reach
            matrix[0, 0], matrix[1, 1] = 1 / (half * aspect), 1 / half
            matrix[2, 2], matrix[2, 3], matrix[3, 3] = -2 / (far - near), -(far + near) / (far - near), 1
            return matrix
        f = 1 / np.tan(np.radians(self.field_deg) / 2)
        matrix[0, 0], matrix[1, 1] = f / aspect, f
        matrix[2, 2], matrix[2, 3], matrix[3, 2] = (
            (far + near) / (near - far),
            2 * far * near / (near - far),
            -1,
        )
        return matrix

    def ray(self, x: float, y: float, aspect: float) -> tuple[F64, F64]:
        """Origin and direction of the ray through a point of the screen, x and y from −1 to 1, y up."""
        right, up, back = self.axes
        half = self.half_height()
        across = right * (x * half * aspect) + up * (y * half)
        if self.parallel:
            return np.asarray(self.target) + across + back * self.distance * 50, -back
        return self.eye, unit_rows(across - back * self.distance)

    def project(self, points: F64, aspect: float) -> F64:
        """(..., 2) screen places, −1 to 1, y up, of (..., 3) points; NaN behind the eye."""
        right, up, back = self.axes
        offset = points - np.asarray(self.target)
        x, y, z = offset @ right, offset @ up, offset @ back
        half = self.half_height()
        if self.parallel:
            return np.stack([x / (half * aspect), y / half], axis=-1)
        ahead = self.distance - z
        scale = np.where(ahead > 1e-6 * self.distance, self.distance / np.where(ahead > 0, ahead, 1.0), np.nan)
        return np.stack([x * scale / (half * aspect), y * scale / half], axis=-1)

    def depth(self, points: F64) -> F64:
        """(...) how deep points lie: smaller is nearer, and even along straight lines of the screen."""
        back: F64 = (points - np.asarray(self.target)) @ self.axes[2]
        if self.parallel:
            return -back
        with np.errstate(divide="ignore"):
            return np.asarray(-1.0 / (self.distance - back), np.float64)

    def orbited(self, yaw: float, pitch: float) -> Camera:
        return replace(self, yaw=self.yaw + yaw, pitch=float(np.clip(self.pitch + pitch, -90, 90)))

    def panned(self, x: float, y: float, aspect: float) -> Camera:
        """Move so that what is under the pointer follows it by (x, y) of the screen, −1 to 1."""
        right, up, _ = self.axes
        half = self.half_height()
        moved = np.asarray(self.target) - right * (x * half * aspect) - up * (y * half)
        return replace(self, target=(float(moved[0]), float(moved[1]), float(moved[2])))

    def zoomed(self, factor: float) -> Camera:
        return replace(self, distance=float(np.clip(self.distance / factor, 1e-6, 1e9)))

    def facing(self, corners: F64, normals: F64, margin: float, aspect: float) -> Camera:
        """From where most of some faces face, with all of them in view.

        Parameters
        ----------
        corners : (N, 3, 3) of the faces; at least one.
        normals : (N, 3), of unit length.
        margin : left round them, in model units at the least.
        """
        normal = (normals * np.linalg.norm(np.ptp(corners, axis=1), axis=1)[:, None]).sum(0)
        if np.linalg.norm(normal) < 1e-9:
            normal = normals[0]
        normal = normal / max(float(np.linalg.norm(normal)), 1e-12)
        yaw = float(np.degrees(np.arctan2(normal[0], normal[2])))
        pitch = float(np.clip(np.degrees(np.arcsin(np.clip(normal[1], -1, 1))), -80, 80))
        bounds = np.stack([corners.min(axis=(0, 1)), corners.max(axis=(0, 1))])
        room = 0.15 * max(float(np.ptp(bounds, axis=0).max()), margin)
        return replace(self, yaw=yaw, pitch=pitch).framing(bounds + np.array([[-room], [room]]), aspect)

    def framing(self, bounds: F64, aspect: float) -> Camera:
        """The same direction, with a box (2, 3) just filling the view."""
        middle = bounds.mean(axis=0)
        right, up, back = self.axes
        corners = np.stack(np.meshgrid(*bounds.T), axis=-1).reshape(-1, 3) - middle
        tan = float(np.tan(np.radians(self.field_deg) / 2))
        across, tall, near = np.abs(corners @ right), np.abs(corners @ up), corners @ back
        need = np.maximum(across / aspect, tall) / tan
        distance = float((need if self.parallel else need + near).max()) * 1.12
        target = (float(middle[0]), float(middle[1]), float(middle[2]))
        return replace(self, target=target, distance=max(distance, 1e-6))
