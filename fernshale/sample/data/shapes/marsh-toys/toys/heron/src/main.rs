use ostrel::scene::Scene;

fn main() {
    let mut scene = Scene::new("heron");
    scene.add_sprite("heron", 1.0, 2.0);
    println!("{} sprites", scene.len());
}
