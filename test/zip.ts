/** A zip with one file, stored as it is (PKWARE, 4.3.6). */
export function zipOf(name: string, content: Buffer, flags = 0): Buffer {
  const crc = crcOf(content)
  // What is encrypted has a head of its own (6.1.3).
  const stored = flags & 1 ? Buffer.concat([Buffer.alloc(12), content]) : content
  const head = Buffer.alloc(30)
  head.writeUInt32LE(0x04034b50, 0)
  head.writeUInt16LE(20, 4)
  head.writeUInt16LE(flags, 6)
  head.writeUInt32LE(crc, 14)
  head.writeUInt32LE(stored.length, 18)
  head.writeUInt32LE(content.length, 22)
  head.writeUInt16LE(name.length, 26)
  const central = Buffer.alloc(46)
  central.writeUInt32LE(0x02014b50, 0)
  head.copy(central, 6, 4, 30)
  const end = Buffer.alloc(22)
  end.writeUInt32LE(0x06054b50, 0)
  end.writeUInt16LE(1, 8)
  end.writeUInt16LE(1, 10)
  end.writeUInt32LE(46 + name.length, 12)
  end.writeUInt32LE(30 + name.length + stored.length, 16)
  return Buffer.concat([head, Buffer.from(name), stored, central, Buffer.from(name), end])
}

function crcOf(bytes: Buffer): number {
  let crc = ~0
  for (const byte of bytes) {
    crc ^= byte
    for (let bit = 0; bit < 8; bit++) crc = (crc >>> 1) ^ (crc & 1 ? 0xedb88320 : 0)
  }
  return ~crc >>> 0
}
