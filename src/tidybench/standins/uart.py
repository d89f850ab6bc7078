"""What a receiver makes of bytes that were sent at another baud rate."""


def misread(data: bytes, sent_at: int, heard_at: int) -> bytes:
    """`data` sent at `sent_at` baud (8-N-1) as a receiver at `heard_at` baud reads it.

    The line is built bit by bit and sampled in the middle of the receiver's own bits, as a UART
    does after each falling edge; characters with a bad stop bit come through as they are read.
    """
    line: list[int] = []
    for byte in data:
        line += [0, *((byte >> bit) & 1 for bit in range(8)), 1]
    line += [1] * 10
    ratio = sent_at / heard_at  # sender's bits per receiver's bit
    out = bytearray()
    position = 0.0
    end = len(line) - 10
    while position < end:
        start = int(position)
        while start < end and line[start] == 1:
            start += 1
        if start >= end:
            break
        edge = max(float(start), position)
        byte = 0
        for bit in range(8):
            sample = int(edge + (bit + 1.5) * ratio)
            byte |= (line[sample] if sample < len(line) else 1) << bit
        out.append(byte)
        position = edge + 9.5 * ratio
        # A break keeps the line low: a receiver waits for it to rise.
        while int(position) < end and line[int(position)] == 0:
            position = int(position) + 1.0
    return bytes(out)
