"""Makes small clips whose seconds differ, for tests."""

import av
import numpy as np

WIDTH, HEIGHT = 320, 180


def make_clip(path, *, seconds=6, fps=25, busy=range(2, 3), height=HEIGHT):
    """Write a clip whose seconds in *busy* are noise, the others grey; return bytes by second."""
    noise = np.random.default_rng(7)
    by_second = np.zeros(seconds)
    with av.open(str(path), "w") as container:
        stream = container.add_stream("mjpeg", rate=fps)
        stream.width, stream.height, stream.pix_fmt = WIDTH, height, "yuvj420p"
        for index in range(seconds * fps):
            picture = np.full((height, WIDTH, 3), 128, dtype=np.uint8)
            if index // fps in busy:
                picture = noise.integers(0, 255, picture.shape, dtype=np.uint8)
            frame = av.VideoFrame.from_ndarray(picture, format="rgb24")
            for packet in stream.encode(frame):
                by_second[min(int(packet.pts * packet.time_base), seconds - 1)] += packet.size
                container.mux(packet)
        for packet in stream.encode():
            by_second[-1] += packet.size
            container.mux(packet)
    return by_second
