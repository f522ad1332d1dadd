//! Reviews that say like things, for a quick look at what there is.
//!
//! Reviews are vectors of length 1 over their single words, function words left out, and clusters are found by the cosine
//! of these vectors alone: no label plays a part. How many clusters there are is told by how well two looks at different
//! parts of the reviews agree.

mod describe;
mod means;
mod stability;
mod vectors;

pub use describe::{Cluster, describe};
pub use means::{Clustering, cluster};
pub use stability::{Tried, adjusted_rand, most_stable, stabilities};
pub use vectors::Vectors;
