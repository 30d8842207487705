use ostrel::scene::Scene;

fn main() {
    println!("{}", Scene::new("eel").len());
}
