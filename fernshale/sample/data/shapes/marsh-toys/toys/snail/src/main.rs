use ostrel::scene::Scene;

fn main() {
    let scene = Scene::new("snail");
    println!("{}", scene.len());
}
