use ostrel::scene::Scene;

fn main() {
    println!("{}", Scene::new("crab").len());
}
