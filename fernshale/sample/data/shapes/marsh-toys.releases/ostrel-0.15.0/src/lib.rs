/// A scene of sprites.
pub mod scene {
    pub struct Scene {
        name: String,
        sprites: Vec<(String, f32, f32)>,
    }

    impl Scene {
        pub fn new(name: &str) -> Self {
            Scene { name: name.to_string(), sprites: Vec::new() }
        }

        pub fn place_sprite(&mut self, name: &str, x: f32, y: f32) {
            self.sprites.push((name.to_string(), x, y));
        }

        pub fn len(&self) -> usize {
            self.sprites.len()
        }

        pub fn name(&self) -> &str {
            &self.name
        }
    }
}
