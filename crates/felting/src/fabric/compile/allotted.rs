//! What is allotted by name.

/// A number that follows from a name alone, so that adding a device changes no other's (FNV-1a).
pub(super) fn hash(name: &str) -> u32 {
    name.bytes().fold(0x811c_9dc5, |hash, byte| (hash ^ u32::from(byte)).wrapping_mul(0x0100_0193))
}
